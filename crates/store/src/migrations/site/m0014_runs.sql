CREATE TABLE runs (
    id uuid PRIMARY KEY,
    name text NOT NULL,
    started_by text NOT NULL,
    forecast jsonb NOT NULL,
    limits jsonb NOT NULL,
    -- The site's rule when it was started.
    rule jsonb NOT NULL,
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
    expected bigint,
    after bigint,
    score double precision,
    -- The trial with that score.
    worst uuid,
    files integer NOT NULL DEFAULT 0,
    -- What was made for it, and how long that took.
    made_bytes bigint NOT NULL DEFAULT 0,
    seconds double precision NOT NULL DEFAULT 0,
    ended_at timestamptz,
    -- Whether somebody looked at it and found it good.
    is_approved boolean NOT NULL DEFAULT false,
    -- The job that has it in hand, as it was begun, and how often it was taken in hand.
    job uuid,
    claim integer,
    begun integer NOT NULL DEFAULT 0,
    -- Variants that were there before it was begun, and those that it made.
    had uuid[],
    variants uuid[] NOT NULL DEFAULT '{}',
    PRIMARY KEY (run_id, place)
);
CREATE INDEX run_items_waiting ON run_items (run_id, place) WHERE state = 'waiting';
CREATE INDEX run_items_of_picture ON run_items (picture_id);
CREATE INDEX run_items_ended ON run_items (run_id, ended_at);

-- Files that somebody asked for by hand: no run that made them takes them back.
ALTER TABLE variants ADD COLUMN is_by_hand boolean NOT NULL DEFAULT false;
UPDATE variants SET is_by_hand = true;

-- Sets of which all files are there: nothing was changed since then that they depend on.
CREATE TABLE made_sets (
    picture_id uuid NOT NULL REFERENCES pictures (id) ON DELETE CASCADE,
    slot_id uuid NOT NULL,
    -- The picture's, when they were made.
    revision integer NOT NULL,
    -- Of the encoders.
    generation integer NOT NULL,
    PRIMARY KEY (picture_id, slot_id)
);
CREATE INDEX made_sets_of_slot ON made_sets (slot_id);

-- Files, rules, slots, pages and the site decide them, too; what is forgotten is only looked at again.
-- Whoever writes into several sites at once has none of them in its search path.
CREATE FUNCTION forget_made_sets() RETURNS trigger LANGUAGE plpgsql SET search_path FROM CURRENT AS $$
BEGIN
    CASE TG_TABLE_NAME
    WHEN 'variants' THEN
        DELETE FROM made_sets WHERE picture_id IN (SELECT picture_id FROM changed);
    WHEN 'slots' THEN
        DELETE FROM made_sets WHERE slot_id IN (SELECT id FROM changed);
    WHEN 'output_rules' THEN
        DELETE FROM made_sets m USING changed c
        WHERE m.picture_id = c.picture_id OR m.slot_id = c.slot_id
            OR c.picture_id IS NULL AND c.slot_id IS NULL;
    END CASE;
    RETURN NULL;
END $$;
CREATE TRIGGER forget_made_sets AFTER DELETE ON variants
    REFERENCING OLD TABLE AS changed FOR EACH STATEMENT EXECUTE FUNCTION forget_made_sets();
CREATE TRIGGER forget_made_sets AFTER UPDATE ON slots
    REFERENCING NEW TABLE AS changed FOR EACH STATEMENT EXECUTE FUNCTION forget_made_sets();
CREATE TRIGGER forget_made_sets_insert AFTER INSERT ON output_rules
    REFERENCING NEW TABLE AS changed FOR EACH STATEMENT EXECUTE FUNCTION forget_made_sets();
CREATE TRIGGER forget_made_sets_update AFTER UPDATE ON output_rules
    REFERENCING NEW TABLE AS changed FOR EACH STATEMENT EXECUTE FUNCTION forget_made_sets();
CREATE TRIGGER forget_made_sets_delete AFTER DELETE ON output_rules
    REFERENCING OLD TABLE AS changed FOR EACH STATEMENT EXECUTE FUNCTION forget_made_sets();
CREATE FUNCTION forget_all_made_sets() RETURNS trigger LANGUAGE plpgsql SET search_path FROM CURRENT AS $$
BEGIN
    DELETE FROM made_sets;
    RETURN NULL;
END $$;
CREATE TRIGGER forget_made_sets AFTER UPDATE ON site
    FOR EACH ROW WHEN (OLD.settings - 'schedule' IS DISTINCT FROM NEW.settings - 'schedule')
    EXECUTE FUNCTION forget_all_made_sets();
CREATE TRIGGER forget_made_sets AFTER UPDATE ON pages
    FOR EACH ROW WHEN (OLD.breakpoints IS DISTINCT FROM NEW.breakpoints)
    EXECUTE FUNCTION forget_all_made_sets();

-- Who listens is told of every change, by the ids of runs.
CREATE TRIGGER tell_insert AFTER INSERT ON runs REFERENCING NEW TABLE AS changed
    FOR EACH STATEMENT EXECUTE FUNCTION public.tell_changed('runs', 'id');
CREATE TRIGGER tell_update AFTER UPDATE ON runs REFERENCING NEW TABLE AS changed
    FOR EACH STATEMENT EXECUTE FUNCTION public.tell_changed('runs', 'id');
CREATE TRIGGER tell_update AFTER UPDATE ON run_items REFERENCING NEW TABLE AS changed
    FOR EACH STATEMENT EXECUTE FUNCTION public.tell_changed('runs', 'run_id');
