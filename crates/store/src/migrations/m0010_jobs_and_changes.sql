-- Jobs: what is to be done, and how far it is. The queue hands them out (schema apalis); this table
-- is what holds, so that a job that is handed out twice is done once.
CREATE TABLE jobs (
    id uuid PRIMARY KEY DEFAULT gen_random_uuid(),
    kind text NOT NULL,
    -- What it is about: two waiting jobs of a kind never have the same.
    key text NOT NULL,
    args jsonb NOT NULL DEFAULT '{}',
    priority integer NOT NULL DEFAULT 0,
    state text NOT NULL DEFAULT 'waiting'
        CHECK (state IN ('waiting', 'running', 'done', 'failed', 'cancelled')),
    -- Attempts since it last came further.
    attempts integer NOT NULL DEFAULT 0,
    -- Why the last one failed.
    reason text,
    done bigint NOT NULL DEFAULT 0,
    total bigint,
    -- Where it goes on after an end in its middle.
    checkpoint jsonb,
    cancel_asked boolean NOT NULL DEFAULT false,
    -- The process that is at it, and how often it was begun: who began it before is not heard.
    worker integer,
    claim integer NOT NULL DEFAULT 0,
    -- Its row in the queue.
    delivery text,
    created_at timestamptz NOT NULL DEFAULT now(),
    due_at timestamptz NOT NULL DEFAULT now(),
    started_at timestamptz,
    ended_at timestamptz
);
CREATE UNIQUE INDEX jobs_waiting ON jobs (kind, key) WHERE state = 'waiting';
CREATE INDEX jobs_open ON jobs (kind, created_at) WHERE state IN ('waiting', 'running', 'failed');
CREATE INDEX jobs_latest ON jobs (kind, created_at);
CREATE INDEX jobs_latest_of ON jobs (kind, key, created_at);
CREATE INDEX jobs_ended ON jobs (ended_at) WHERE ended_at IS NOT NULL;

-- Adds a job, unless the same one waits already.
CREATE FUNCTION push_job(new_kind text, new_key text, new_args jsonb) RETURNS void LANGUAGE sql AS $$
    INSERT INTO jobs (kind, key, args)
    SELECT new_kind, new_key, new_args
    WHERE NOT EXISTS (SELECT FROM jobs WHERE (kind, key, state) = (new_kind, new_key, 'waiting'))
    ON CONFLICT (kind, key) WHERE state = 'waiting' DO NOTHING;
$$;

-- A job that is to wait is handed to the queue in the same transaction.
CREATE FUNCTION deliver_job() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    UPDATE apalis.jobs SET status = 'Killed', done_at = now()
        WHERE id = NEW.delivery AND status IN ('Pending', 'Failed');
    NEW.delivery := apalis.generate_ulid();
    INSERT INTO apalis.jobs (id, job_type, job, status, attempts, max_attempts, run_at, priority, metadata)
    VALUES (
        NEW.delivery, 'brisk-margin/' || NEW.kind,
        convert_to(jsonb_build_object('job', NEW.id)::text, 'UTF8'),
        'Pending', 0, 1000, NEW.due_at, NEW.priority, ''
    );
    RETURN NEW;
END $$;
CREATE TRIGGER deliver_new_job BEFORE INSERT ON jobs
    FOR EACH ROW WHEN (NEW.state = 'waiting') EXECUTE FUNCTION deliver_job();
CREATE TRIGGER deliver_job_again BEFORE UPDATE OF state, due_at, priority ON jobs
    FOR EACH ROW WHEN (
        NEW.state = 'waiting'
        AND (OLD.state, OLD.due_at, OLD.priority) IS DISTINCT FROM (NEW.state, NEW.due_at, NEW.priority)
    ) EXECUTE FUNCTION deliver_job();

-- A process of ours holds an advisory lock of this class under its number for as long as it lives.
CREATE FUNCTION is_worker_alive(worker integer) RETURNS boolean LANGUAGE sql STABLE AS $$
    SELECT EXISTS (
        SELECT FROM pg_locks
        WHERE locktype = 'advisory' AND granted AND classid = 1112363088 AND objid = worker::oid
            AND objsubid = 2 AND database = (SELECT oid FROM pg_database WHERE datname = current_database())
    );
$$;

-- What is to be done with pictures is noted in the transaction that makes it so.
CREATE FUNCTION picture_to_do() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    IF NEW.class IS NULL THEN
        PERFORM push_job('analyse', NEW.id::text, jsonb_build_object('picture', NEW.id));
    ELSE
        PERFORM push_job('import', NEW.id::text, jsonb_build_object('picture', NEW.id));
    END IF;
    RETURN NULL;
END $$;
CREATE TRIGGER picture_to_analyse AFTER INSERT ON pictures
    FOR EACH ROW WHEN (NEW.class IS NULL AND NEW.analysis_failed IS NULL)
    EXECUTE FUNCTION picture_to_do();
CREATE TRIGGER picture_to_import AFTER UPDATE OF class ON pictures
    FOR EACH ROW WHEN (OLD.class IS NULL AND NEW.class IS NOT NULL AND NEW.import_action IS NOT NULL)
    EXECUTE FUNCTION picture_to_do();
SELECT push_job('analyse', id::text, jsonb_build_object('picture', id))
    FROM pictures WHERE class IS NULL AND analysis_failed IS NULL;
SELECT push_job('import', id::text, jsonb_build_object('picture', id))
    FROM pictures WHERE class IS NOT NULL AND import_action IS NOT NULL;

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

-- Whoever listens is told what changed once that is committed: which kind, and which ids where
-- they are few. An argument names the kind; a second one, the column of the ids.
CREATE FUNCTION tell_changed() RETURNS trigger LANGUAGE plpgsql AS $$
DECLARE
    ids jsonb;
BEGIN
    -- A statement that changed no row.
    IF NOT EXISTS (SELECT FROM changed) THEN RETURN NULL; END IF;
    IF TG_NARGS > 1 THEN
        EXECUTE format(
            'SELECT CASE WHEN count(*) <= 40 THEN jsonb_agg(id) END FROM (
                 SELECT DISTINCT %I AS id FROM changed LIMIT 41
             ) AS few', TG_ARGV[1]
        ) INTO ids;
    END IF;
    PERFORM pg_notify(
        'brisk_margin', jsonb_strip_nulls(jsonb_build_object('kind', TG_ARGV[0], 'ids', ids))::text
    );
    RETURN NULL;
END $$;

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
        ('jobs', 'jobs', 'id'),
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
                 FOR EACH STATEMENT EXECUTE FUNCTION tell_changed(%s)',
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
        PERFORM pg_notify('brisk_margin', '{"kind": "stale"}');
    END IF;
    RETURN NULL;
END $$;
CREATE TRIGGER tell_stale_insert AFTER INSERT ON pictures
    REFERENCING NEW TABLE AS changed FOR EACH STATEMENT EXECUTE FUNCTION tell_stale();
CREATE TRIGGER tell_stale_update AFTER UPDATE ON pictures
    REFERENCING NEW TABLE AS changed FOR EACH STATEMENT EXECUTE FUNCTION tell_stale();
