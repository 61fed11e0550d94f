-- Encodings: what was tried for a picture's pixels, and the rules by which files are made.

-- What came of an encoding; the file itself can be made again from the same words.
CREATE TABLE trials (
    id uuid PRIMARY KEY,
    picture_id uuid NOT NULL REFERENCES pictures (id) ON DELETE CASCADE,
    -- What decides the pixels.
    framing text NOT NULL,
    -- How they are encoded.
    encoding text NOT NULL,
    bytes bigint NOT NULL,
    score double precision NOT NULL,
    -- The places where it differs most, the worst first.
    spots jsonb NOT NULL,
    made_at timestamptz NOT NULL,
    UNIQUE (picture_id, framing, encoding)
);

-- At most one for each slot and picture, and one for neither: the site's.
CREATE TABLE output_rules (
    slot_id uuid REFERENCES slots (id) ON DELETE CASCADE,
    picture_id uuid REFERENCES pictures (id) ON DELETE CASCADE,
    rule jsonb NOT NULL,
    CHECK (slot_id IS NULL OR picture_id IS NULL)
);
CREATE UNIQUE INDEX output_rules_subject ON output_rules
    (COALESCE(slot_id, picture_id, '00000000-0000-0000-0000-000000000000'::uuid));
