-- The bench: what a picture is framed by and finished with, every step on the way there, pictures
-- made from others, and lists of edits by name.

ALTER TABLE pictures
    -- Edits, keep area and hand-made crops, as the step below has them.
    ADD work jsonb,
    -- The step that holds wherever the picture is shown.
    ADD step uuid,
    -- The step that lay on the bench last.
    ADD draft uuid,
    -- The picture that this one was made from; it shares that one's original.
    ADD made_from uuid,
    ADD is_copy boolean NOT NULL DEFAULT false;
ALTER TABLE pictures DROP CONSTRAINT pictures_hash_key;
CREATE UNIQUE INDEX pictures_original ON pictures (hash) WHERE NOT is_copy;
CREATE INDEX pictures_hash ON pictures (hash);

-- Steps are never changed and never thrown away: each undo goes to one, each redo comes from one.
CREATE TABLE steps (
    id uuid PRIMARY KEY,
    picture_id uuid NOT NULL REFERENCES pictures (id) ON DELETE CASCADE,
    parent_id uuid REFERENCES steps (id) ON DELETE CASCADE,
    work jsonb NOT NULL,
    summary text NOT NULL,
    name text,
    made_at timestamptz NOT NULL
);
CREATE INDEX steps_picture ON steps (picture_id, id);
CREATE INDEX steps_parent ON steps (parent_id);
CREATE UNIQUE INDEX steps_name ON steps (picture_id, name) WHERE name IS NOT NULL;

CREATE TABLE finishes (
    id uuid PRIMARY KEY,
    name text NOT NULL UNIQUE,
    finish jsonb NOT NULL
);
