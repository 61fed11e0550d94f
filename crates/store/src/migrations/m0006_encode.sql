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

-- At most one for the site, and one for each slot and picture.
CREATE TABLE output_rules (
    level text NOT NULL CHECK (level IN ('site', 'slot', 'picture')),
    -- The slot or the picture; the site has the number of nobody.
    subject uuid NOT NULL,
    rule jsonb NOT NULL,
    PRIMARY KEY (level, subject)
);
