-- What all sites of an installation share; what belongs to one stands in a schema of its own.
CREATE EXTENSION IF NOT EXISTS pg_trgm SCHEMA public;

CREATE TABLE sites (
    id uuid PRIMARY KEY,
    -- What its addresses begin with.
    slug text NOT NULL UNIQUE,
    -- Where its tables are.
    schema text NOT NULL UNIQUE,
    created_at timestamptz NOT NULL DEFAULT now(),
    removed_at timestamptz
);

-- Bytes that no row of a site speaks of since then; they are shared.
CREATE TABLE unused_bytes (
    hash text PRIMARY KEY,
    since timestamptz NOT NULL
);

-- Jobs: what is to be done, and how far it is. The queue hands them out (schema apalis); this table
-- is what holds, so that a job that is handed out twice is done once.
CREATE TABLE jobs (
    id uuid PRIMARY KEY DEFAULT gen_random_uuid(),
    -- The schema of its site; empty for one that is about all of them.
    site text NOT NULL DEFAULT '',
    kind text NOT NULL,
    -- What it is about: of a site and kind, two waiting jobs never have the same.
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
CREATE UNIQUE INDEX jobs_waiting ON jobs (site, kind, key) WHERE state = 'waiting';
CREATE INDEX jobs_open ON jobs (site, kind, created_at) WHERE state IN ('waiting', 'running', 'failed');
CREATE INDEX jobs_latest ON jobs (site, kind, created_at);
CREATE INDEX jobs_latest_of ON jobs (site, kind, key, created_at);
CREATE INDEX jobs_ended ON jobs (ended_at) WHERE ended_at IS NOT NULL;

-- Adds a job of a site, unless the same one waits already.
CREATE FUNCTION push_job(of_site text, new_kind text, new_key text, new_args jsonb)
RETURNS void LANGUAGE sql AS $$
    INSERT INTO public.jobs (site, kind, key, args)
    SELECT of_site, new_kind, new_key, new_args
    WHERE NOT EXISTS (
        SELECT FROM public.jobs
        WHERE (site, kind, key, state) = (of_site, new_kind, new_key, 'waiting')
    )
    ON CONFLICT (site, kind, key) WHERE state = 'waiting' DO NOTHING;
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

-- Whoever listens is told what changed once that is committed: in which site, which kind, and which
-- ids where they are few. An argument names the kind; a second one, the column of the ids.
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
    PERFORM pg_notify('brisk_margin', jsonb_strip_nulls(jsonb_build_object(
        'site', TG_TABLE_SCHEMA, 'kind', TG_ARGV[0], 'ids', ids
    ))::text);
    RETURN NULL;
END $$;

CREATE FUNCTION tell_jobs() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    PERFORM pg_notify('brisk_margin', jsonb_strip_nulls(jsonb_build_object(
        'site', site, 'kind', 'jobs', 'ids', CASE WHEN count(*) <= 40 THEN jsonb_agg(id) END
    ))::text) FROM changed GROUP BY site;
    RETURN NULL;
END $$;
CREATE TRIGGER tell_insert AFTER INSERT ON jobs
    REFERENCING NEW TABLE AS changed FOR EACH STATEMENT EXECUTE FUNCTION tell_jobs();
CREATE TRIGGER tell_update AFTER UPDATE ON jobs
    REFERENCING NEW TABLE AS changed FOR EACH STATEMENT EXECUTE FUNCTION tell_jobs();
CREATE TRIGGER tell_delete AFTER DELETE ON jobs
    REFERENCING OLD TABLE AS changed FOR EACH STATEMENT EXECUTE FUNCTION tell_jobs();

CREATE FUNCTION tell_sites() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    PERFORM pg_notify('brisk_margin', '{"site": "", "kind": "sites"}');
    RETURN NULL;
END $$;
CREATE TRIGGER tell_sites AFTER INSERT OR UPDATE OR DELETE ON sites
    FOR EACH STATEMENT EXECUTE FUNCTION tell_sites();
