-- What is to be done with pictures is noted in the transaction that makes it so.
CREATE FUNCTION picture_to_do() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    IF NEW.class IS NULL THEN
        PERFORM public.push_job(TG_TABLE_SCHEMA, 'analyse', NEW.id::text, jsonb_build_object('picture', NEW.id));
    ELSE
        PERFORM public.push_job(TG_TABLE_SCHEMA, 'import', NEW.id::text, jsonb_build_object('picture', NEW.id));
    END IF;
    RETURN NULL;
END $$;
CREATE TRIGGER picture_to_analyse AFTER INSERT ON pictures
    FOR EACH ROW WHEN (NEW.class IS NULL AND NEW.analysis_failed IS NULL)
    EXECUTE FUNCTION picture_to_do();
CREATE TRIGGER picture_to_import AFTER UPDATE OF class ON pictures
    FOR EACH ROW WHEN (OLD.class IS NULL AND NEW.class IS NOT NULL AND NEW.import_action IS NOT NULL)
    EXECUTE FUNCTION picture_to_do();
CREATE FUNCTION push_all_jobs() RETURNS void LANGUAGE sql AS $$
    SELECT public.push_job(current_schema(), 'analyse', id::text, jsonb_build_object('picture', id))
        FROM pictures WHERE class IS NULL AND analysis_failed IS NULL;
    SELECT public.push_job(current_schema(), 'import', id::text, jsonb_build_object('picture', id))
        FROM pictures WHERE class IS NOT NULL AND import_action IS NOT NULL;
$$;
SELECT push_all_jobs();

-- Pictures whose status another row made untrue, as rows of their own: no transaction waits for
-- another's. A change of the picture's own row counts its revision up instead.
CREATE TABLE stale_pictures (id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY, picture_id uuid NOT NULL);

CREATE OR REPLACE FUNCTION places_changed() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    INSERT INTO stale_pages (page_id) SELECT DISTINCT page_id FROM changed;
    INSERT INTO stale_slots (slot_id) SELECT DISTINCT slot_id FROM changed;
    INSERT INTO stale_pictures (picture_id)
        SELECT picture_id FROM changed WHERE picture_id IS NOT NULL
        UNION
        SELECT p.id FROM changed c, jsonb_array_elements_text(c.served) AS s (hash)
        JOIN pictures p ON p.hash = s.hash;
    RETURN NULL;
END $$;

CREATE OR REPLACE FUNCTION slot_changed() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    INSERT INTO stale_slots (slot_id) VALUES (NEW.id);
    INSERT INTO stale_pages (page_id) SELECT DISTINCT page_id FROM places WHERE slot_id = NEW.id;
    INSERT INTO stale_pictures (picture_id)
        SELECT picture_id FROM places WHERE slot_id = NEW.id AND picture_id IS NOT NULL
        UNION
        SELECT p.id FROM places o, jsonb_array_elements_text(o.served) AS s (hash)
        JOIN pictures p ON p.hash = s.hash WHERE o.slot_id = NEW.id;
    RETURN NULL;
END $$;

CREATE FUNCTION relation_changed() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    IF TG_TABLE_NAME = 'alike' THEN
        INSERT INTO stale_pictures (picture_id) SELECT one FROM changed UNION SELECT other FROM changed;
    ELSE
        INSERT INTO stale_pictures (picture_id) SELECT DISTINCT picture_id FROM changed;
    END IF;
    RETURN NULL;
END $$;
CREATE TRIGGER alike_added AFTER INSERT ON alike
    REFERENCING NEW TABLE AS changed FOR EACH STATEMENT EXECUTE FUNCTION relation_changed();
CREATE TRIGGER alike_changed AFTER UPDATE ON alike
    REFERENCING NEW TABLE AS changed FOR EACH STATEMENT EXECUTE FUNCTION relation_changed();
CREATE TRIGGER alike_gone AFTER DELETE ON alike
    REFERENCING OLD TABLE AS changed FOR EACH STATEMENT EXECUTE FUNCTION relation_changed();
CREATE TRIGGER file_replaced AFTER INSERT ON replaced_files
    REFERENCING NEW TABLE AS changed FOR EACH STATEMENT EXECUTE FUNCTION relation_changed();
CREATE TRIGGER file_back AFTER DELETE ON replaced_files
    REFERENCING OLD TABLE AS changed FOR EACH STATEMENT EXECUTE FUNCTION relation_changed();

-- A picture that was removed or restored counts for those that look like it.
CREATE FUNCTION removal_changed() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    INSERT INTO stale_pictures (picture_id)
        SELECT CASE WHEN one = NEW.id THEN other ELSE one END FROM alike
        WHERE one = NEW.id OR other = NEW.id;
    RETURN NULL;
END $$;
CREATE TRIGGER removal_changed AFTER UPDATE OF removed_at ON pictures
    FOR EACH ROW WHEN ((OLD.removed_at IS NULL) <> (NEW.removed_at IS NULL))
    EXECUTE FUNCTION removal_changed();

-- The pixels that may be served at most decide what is worth mending of all.
CREATE FUNCTION ceiling_changed() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    INSERT INTO stale_pictures (picture_id) SELECT id FROM pictures;
    RETURN NULL;
END $$;
CREATE TRIGGER ceiling_changed AFTER UPDATE ON site
    FOR EACH ROW WHEN ((OLD.settings -> 'ceiling') IS DISTINCT FROM (NEW.settings -> 'ceiling'))
    EXECUTE FUNCTION ceiling_changed();

-- Who listens is told of every change, by a function that all sites share.
DO $$
DECLARE
    told record;
    event text;
    source text;
BEGIN
    FOR told IN SELECT * FROM (VALUES
        ('pictures', 'pictures', 'id'),
        ('variants', 'variants', 'picture_id'),
        ('trials', 'trials', 'picture_id'),
        ('steps', 'steps', 'picture_id'),
        ('pages', 'layouts', NULL),
        ('slots', 'layouts', NULL),
        ('places', 'layouts', NULL),
        ('size_sets', 'layouts', NULL),
        ('output_rules', 'rules', NULL),
        ('site', 'site', NULL),
        ('collections', 'shelves', NULL),
        ('collected', 'shelves', NULL),
        ('saved_filters', 'shelves', NULL),
        ('edit_presets', 'presets', NULL),
        ('alike', 'alike', NULL),
        ('folder_files', 'folder', NULL),
        ('stale_pictures', 'stale', NULL)
    ) AS list (name, kind, ids)
    LOOP
        FOREACH event IN ARRAY ARRAY['INSERT', 'UPDATE', 'DELETE'] LOOP
            source := CASE event WHEN 'DELETE' THEN 'OLD' ELSE 'NEW' END;
            CONTINUE WHEN told.kind = 'stale' AND event <> 'INSERT';
            EXECUTE format(
                'CREATE TRIGGER tell_%s AFTER %s ON %I REFERENCING %s TABLE AS changed
                 FOR EACH STATEMENT EXECUTE FUNCTION public.tell_changed(%s)',
                lower(event), event, told.name, source,
                concat_ws(', ', quote_literal(told.kind), quote_literal(told.ids))
            );
        END LOOP;
    END LOOP;
END $$;

-- The worker that refreshes statuses is told of a picture's own change, too.
CREATE FUNCTION tell_stale() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    IF EXISTS (SELECT FROM changed WHERE revision <> status_revision) THEN
        PERFORM pg_notify('brisk_margin', jsonb_build_object('site', TG_TABLE_SCHEMA, 'kind', 'stale')::text);
    END IF;
    RETURN NULL;
END $$;
CREATE TRIGGER tell_stale_insert AFTER INSERT ON pictures
    REFERENCING NEW TABLE AS changed FOR EACH STATEMENT EXECUTE FUNCTION tell_stale();
CREATE TRIGGER tell_stale_update AFTER UPDATE ON pictures
    REFERENCING NEW TABLE AS changed FOR EACH STATEMENT EXECUTE FUNCTION tell_stale();

-- Bytes are shared by all sites, and so is the note of those that nobody needs.
INSERT INTO public.unused_bytes (hash, since) SELECT hash, since FROM orphans ON CONFLICT DO NOTHING;
DROP TABLE orphans;
