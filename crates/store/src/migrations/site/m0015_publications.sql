CREATE TABLE publications (
    id uuid PRIMARY KEY,
    name text NOT NULL,
    wish jsonb NOT NULL,
    state text NOT NULL,
    -- Why it stands there, where that is no success.
    reason text,
    -- What it changes, once that is worked out: in sums, and whole.
    sums jsonb,
    report jsonb,
    -- The files that it writes, and how each goes back.
    change jsonb,
    -- Files that somebody changed since, and that were left alone when it was taken back.
    left_alone jsonb NOT NULL DEFAULT '[]',
    created_at timestamptz NOT NULL DEFAULT now(),
    published_at timestamptz,
    taken_back_at timestamptz
);
-- One at a time.
CREATE UNIQUE INDEX publications_under_way ON publications ((true))
    WHERE state IN ('preparing', 'publishing', 'taking-back');

-- Bytes that it writes, and those that were there before: they stay as long as it does.
CREATE TABLE publication_blobs (
    publication_id uuid NOT NULL REFERENCES publications (id) ON DELETE CASCADE,
    hash text NOT NULL,
    -- The picture that a file was made of.
    picture_id uuid REFERENCES pictures (id) ON DELETE SET NULL,
    PRIMARY KEY (publication_id, hash)
);
CREATE INDEX publication_blobs_hash ON publication_blobs (hash);
CREATE INDEX publication_blobs_picture ON publication_blobs (picture_id);

-- Whether a place has its picture since the page shows a file that was made of it.
ALTER TABLE places ADD COLUMN is_published boolean NOT NULL DEFAULT false;
CREATE INDEX variants_hash ON variants (hash);

CREATE TRIGGER tell_insert AFTER INSERT ON publications REFERENCING NEW TABLE AS changed
    FOR EACH STATEMENT EXECUTE FUNCTION public.tell_changed('publications', 'id');
CREATE TRIGGER tell_update AFTER UPDATE ON publications REFERENCING NEW TABLE AS changed
    FOR EACH STATEMENT EXECUTE FUNCTION public.tell_changed('publications', 'id');
CREATE TRIGGER tell_delete AFTER DELETE ON publications REFERENCING OLD TABLE AS changed
    FOR EACH STATEMENT EXECUTE FUNCTION public.tell_changed('publications', 'id');
