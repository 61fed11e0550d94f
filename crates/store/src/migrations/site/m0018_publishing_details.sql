ALTER TABLE publications
    -- Who asked for it, as they called themselves.
    ADD COLUMN asked_by text NOT NULL DEFAULT '',
    -- What the site's host could do better with its files.
    ADD COLUMN host_notes jsonb NOT NULL DEFAULT '[]';

-- What the files of each set that came to the site are together, as made_sets has it.
CREATE TABLE published_sets (
    publication_id uuid NOT NULL REFERENCES publications (id) ON DELETE CASCADE,
    picture_id uuid NOT NULL,
    slot_id uuid NOT NULL,
    files text NOT NULL,
    PRIMARY KEY (publication_id, picture_id, slot_id)
);
CREATE INDEX published_sets_newest ON published_sets (picture_id, slot_id);

-- What of a picture and a slot decides the files of a set. A picture's revision also counts what is told of it
-- alone, as where it is shown, and a slot's row is written whenever its summary is. Files that were made keep
-- their names, whatever those of the slot become.
CREATE FUNCTION made_basis(p pictures, s slots) RETURNS text LANGUAGE sql STABLE AS $$
    SELECT md5(row(
        p.hash, p.name, p.title, p.caption, p.creator, p.licence, p.source, p.focal_x, p.focal_y,
        p.adjustments, p.class, p.colours, p.is_transparent,
        s.kind, s.fit, s.boxes, s.rendered, s.hand_boxes, s.cropping, s.densities, s.budget
    )::text)
$$;
ALTER TABLE made_sets
    DROP COLUMN revision,
    -- Nothing for those of before, which are looked at again.
    ADD COLUMN basis text,
    -- What all its files are together: a hash of theirs.
    ADD COLUMN files text;
DROP TRIGGER forget_made_sets ON slots;

-- Of the site's settings only some decide files.
CREATE FUNCTION deciding_settings(settings jsonb) RETURNS jsonb LANGUAGE sql IMMUTABLE AS $$
    SELECT settings - ARRAY['schedule', 'watch', 'page_budgets', 'address', 'folder', 'watches', 'allowed_hosts',
        'keep_days', 'import_action', 'treatment']
$$;
DROP TRIGGER forget_made_sets ON site;
CREATE TRIGGER forget_made_sets AFTER UPDATE ON site FOR EACH ROW
    WHEN (deciding_settings(OLD.settings) IS DISTINCT FROM deciding_settings(NEW.settings))
    EXECUTE FUNCTION forget_all_made_sets();

-- Which pages have a slot decides where its files change.
CREATE FUNCTION forget_made_sets_of_places() RETURNS trigger LANGUAGE plpgsql SET search_path FROM CURRENT AS $$
BEGIN
    DELETE FROM made_sets WHERE slot_id IN (SELECT slot_id FROM changed);
    RETURN NULL;
END $$;
CREATE TRIGGER forget_made_sets_insert AFTER INSERT ON places REFERENCING NEW TABLE AS changed
    FOR EACH STATEMENT EXECUTE FUNCTION forget_made_sets_of_places();
CREATE TRIGGER forget_made_sets_delete AFTER DELETE ON places REFERENCING OLD TABLE AS changed
    FOR EACH STATEMENT EXECUTE FUNCTION forget_made_sets_of_places();
CREATE FUNCTION forget_made_sets_of_place() RETURNS trigger LANGUAGE plpgsql SET search_path FROM CURRENT AS $$
BEGIN
    DELETE FROM made_sets WHERE slot_id IN (OLD.slot_id, NEW.slot_id);
    RETURN NULL;
END $$;
CREATE TRIGGER forget_made_sets_update AFTER UPDATE OF slot_id ON places FOR EACH ROW
    WHEN (OLD.slot_id <> NEW.slot_id) EXECUTE FUNCTION forget_made_sets_of_place();
