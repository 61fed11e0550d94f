-- How pages come before and after a publication, as pictures at the same moments.
CREATE TABLE films (
    id uuid PRIMARY KEY,
    publication_id uuid NOT NULL REFERENCES publications (id) ON DELETE CASCADE,
    -- The page, by its path.
    page text NOT NULL,
    width integer NOT NULL,
    connection text NOT NULL,
    -- Nothing until it is done.
    strip jsonb,
    -- Why there is none.
    reason text,
    created_at timestamptz NOT NULL DEFAULT now(),
    UNIQUE (publication_id, page, width, connection)
);

-- Who looks at the publication is told.
CREATE TRIGGER tell_insert AFTER INSERT ON films REFERENCING NEW TABLE AS changed
    FOR EACH STATEMENT EXECUTE FUNCTION public.tell_changed('publications', 'publication_id');
CREATE TRIGGER tell_update AFTER UPDATE ON films REFERENCING NEW TABLE AS changed
    FOR EACH STATEMENT EXECUTE FUNCTION public.tell_changed('publications', 'publication_id');
