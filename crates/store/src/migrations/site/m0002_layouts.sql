CREATE TABLE pages (
    id uuid PRIMARY KEY,
    address text NOT NULL UNIQUE,
    title text NOT NULL,
    heights jsonb NOT NULL,
    breakpoints jsonb NOT NULL,
    measured_at timestamptz NOT NULL
);
CREATE TABLE slots (
    id uuid PRIMARY KEY,
    name text NOT NULL,
    kind text NOT NULL,
    selector text,
    fit text NOT NULL,
    boxes jsonb NOT NULL,
    rendered jsonb NOT NULL,
    densities jsonb NOT NULL,
    budget bigint CHECK (budget > 0),
    created_at timestamptz NOT NULL
);
CREATE TABLE occurrences (
    id uuid PRIMARY KEY,
    slot_id uuid NOT NULL REFERENCES slots (id) ON DELETE CASCADE,
    page_id uuid NOT NULL REFERENCES pages (id) ON DELETE CASCADE,
    selector text NOT NULL,
    doubtful boolean NOT NULL,
    details jsonb NOT NULL,
    picture_id uuid REFERENCES pictures (id) ON DELETE SET NULL,
    UNIQUE (page_id, selector)
);
CREATE INDEX occurrences_slot ON occurrences (slot_id);
