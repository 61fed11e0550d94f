-- By how much each page is over its budgets, as it was worked out last: nothing of those that it keeps to.
CREATE TABLE overruns (
    page_id uuid PRIMARY KEY REFERENCES pages (id) ON DELETE CASCADE,
    bytes bigint CHECK (bytes > 0),
    ms double precision CHECK (ms > 0),
    -- When it arose.
    since timestamptz NOT NULL DEFAULT now(),
    -- Whether somebody was told, or it was so when the page was seen first.
    is_seen boolean NOT NULL DEFAULT true
);

CREATE TRIGGER tell_update AFTER UPDATE ON overruns REFERENCING NEW TABLE AS changed
    FOR EACH STATEMENT EXECUTE FUNCTION public.tell_changed('overruns');
