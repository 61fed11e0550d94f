CREATE TABLE runs (
    id uuid PRIMARY KEY,
    name text NOT NULL,
    forecast jsonb NOT NULL,
    state text NOT NULL,
    created_at timestamptz NOT NULL DEFAULT now(),
    ended_at timestamptz
);
-- One for each slot of each picture, and one without a slot for each picture that is skipped.
CREATE TABLE run_items (
    run_id uuid NOT NULL REFERENCES runs (id) ON DELETE CASCADE,
    place integer NOT NULL,
    picture_id uuid NOT NULL REFERENCES pictures (id) ON DELETE CASCADE,
    slot_id uuid,
    state text NOT NULL,
    reason text,
    before bigint,
    after bigint,
    score double precision,
    files integer NOT NULL DEFAULT 0,
    -- Variants that were there before it was begun, and those that it made.
    had uuid[],
    variants uuid[] NOT NULL DEFAULT '{}',
    PRIMARY KEY (run_id, place)
);
CREATE INDEX run_items_waiting ON run_items (run_id, place) WHERE state = 'waiting';
CREATE INDEX run_items_of_picture ON run_items (picture_id);

-- Who listens is told of every change, by the ids of runs.
CREATE TRIGGER tell_insert AFTER INSERT ON runs REFERENCING NEW TABLE AS changed
    FOR EACH STATEMENT EXECUTE FUNCTION public.tell_changed('runs', 'id');
CREATE TRIGGER tell_update AFTER UPDATE ON runs REFERENCING NEW TABLE AS changed
    FOR EACH STATEMENT EXECUTE FUNCTION public.tell_changed('runs', 'id');
CREATE TRIGGER tell_update AFTER UPDATE ON run_items REFERENCING NEW TABLE AS changed
    FOR EACH STATEMENT EXECUTE FUNCTION public.tell_changed('runs', 'run_id');
