-- The address of a site stands among those of all sites, too, where no two have the same.
CREATE FUNCTION address_changed() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    UPDATE public.sites SET address = NEW.settings ->> 'address' WHERE schema = TG_TABLE_SCHEMA;
    RETURN NULL;
END $$;
CREATE TRIGGER address_changed AFTER UPDATE ON site
    FOR EACH ROW WHEN ((OLD.settings -> 'address') IS DISTINCT FROM (NEW.settings -> 'address'))
    EXECUTE FUNCTION address_changed();

-- Of several that came to have one before, the first is the one that has it.
UPDATE public.sites s SET address = settings ->> 'address' FROM site
WHERE s.schema = current_schema() AND NOT EXISTS (
    SELECT FROM public.sites o WHERE o.address = settings ->> 'address' AND o.removed_at IS NULL
);
