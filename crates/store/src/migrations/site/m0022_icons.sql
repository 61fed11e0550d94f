-- What is decided for the site's icons: one row, or none before anybody said something.
CREATE TABLE icon_design (
    id boolean PRIMARY KEY DEFAULT true CHECK (id),
    design jsonb NOT NULL,
    -- Counts how often it was saved: who saves an older one is told.
    version integer NOT NULL DEFAULT 1,
    -- By which design its files were made, and when.
    made_by jsonb,
    made_at timestamptz,
    -- What the site's icons came to when they were checked last.
    report jsonb,
    checked_at timestamptz
);

-- The files that were made.
CREATE TABLE icon_files (
    target text PRIMARY KEY,
    file_name text NOT NULL UNIQUE,
    media_type text NOT NULL,
    width integer NOT NULL CHECK (width > 0),
    height integer NOT NULL CHECK (height > 0),
    bytes bigint NOT NULL CHECK (bytes > 0),
    hash text NOT NULL
);
CREATE INDEX icon_files_hash ON icon_files (hash);

CREATE TRIGGER tell_insert AFTER INSERT ON icon_design REFERENCING NEW TABLE AS changed
    FOR EACH STATEMENT EXECUTE FUNCTION public.tell_changed('icons');
CREATE TRIGGER tell_update AFTER UPDATE ON icon_design REFERENCING NEW TABLE AS changed
    FOR EACH STATEMENT EXECUTE FUNCTION public.tell_changed('icons');
