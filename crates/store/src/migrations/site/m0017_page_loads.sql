-- What pages transfer at each layout width, as it was measured last.
CREATE TABLE page_loads (
    page_id uuid NOT NULL REFERENCES pages (id) ON DELETE CASCADE,
    viewport integer NOT NULL,
    requests jsonb NOT NULL,
    PRIMARY KEY (page_id, viewport)
);

-- What they weighed before: a row for each time that a weight changed.
CREATE TABLE page_weights (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    page_id uuid NOT NULL REFERENCES pages (id) ON DELETE CASCADE,
    viewport integer NOT NULL,
    weight jsonb NOT NULL,
    -- The requests that brought more than before.
    grown jsonb NOT NULL,
    measured_at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX page_weights_of_page ON page_weights (page_id, viewport, id);

-- What somebody said that they may weigh and take.
CREATE TABLE page_budgets (
    page_id uuid PRIMARY KEY REFERENCES pages (id) ON DELETE CASCADE,
    budgets jsonb NOT NULL
);

-- How often they are looked at.
CREATE TABLE page_views (
    page_id uuid PRIMARY KEY REFERENCES pages (id) ON DELETE CASCADE,
    per_month bigint NOT NULL CHECK (per_month >= 0)
);

DO $$
DECLARE
    said text;
    event text;
BEGIN
    FOREACH said IN ARRAY ARRAY['page_budgets', 'page_views'] LOOP
        FOREACH event IN ARRAY ARRAY['INSERT', 'UPDATE', 'DELETE'] LOOP
            EXECUTE format(
                'CREATE TRIGGER tell_%s AFTER %s ON %I REFERENCING %s TABLE AS changed
                 FOR EACH STATEMENT EXECUTE FUNCTION public.tell_changed(''layouts'')',
                lower(event), event, said, CASE event WHEN 'DELETE' THEN 'OLD' ELSE 'NEW' END
            );
        END LOOP;
    END LOOP;
END $$;
