CREATE TABLE site (
    -- One row: this installation looks after one site.
    single boolean PRIMARY KEY DEFAULT true CHECK (single),
    settings jsonb NOT NULL
);
INSERT INTO site (settings) VALUES ('{}');
CREATE TABLE size_sets (
    id uuid PRIMARY KEY,
    name text NOT NULL UNIQUE,
    sizes jsonb NOT NULL
);
-- What was set by hand stands beside what was measured, so that either can come back.
ALTER TABLE slots ADD hand_boxes jsonb;
ALTER TABLE slots ADD cropping text;
