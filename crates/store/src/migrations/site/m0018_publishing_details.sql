-- What all files of the set are together: a hash of theirs. Nothing for those of before.
ALTER TABLE made_sets ADD COLUMN files text;

ALTER TABLE publications
    -- Who asked for it, as they called themselves.
    ADD COLUMN asked_by text NOT NULL DEFAULT '',
    -- What the site's host could do better with its files.
    ADD COLUMN host_notes jsonb NOT NULL DEFAULT '[]';

-- What does not decide the files of a slot or of the site forgets none of them: summaries are written often.
DROP TRIGGER forget_made_sets ON slots;
CREATE FUNCTION forget_made_sets_of_slots() RETURNS trigger LANGUAGE plpgsql SET search_path FROM CURRENT AS $$
BEGIN
    DELETE FROM made_sets WHERE slot_id IN (
        SELECT n.id FROM changed n JOIN before o USING (id)
        WHERE (n.name, n.kind, n.fit, n.boxes, n.rendered, n.hand_boxes, n.cropping, n.densities, n.budget)
            IS DISTINCT FROM
            (o.name, o.kind, o.fit, o.boxes, o.rendered, o.hand_boxes, o.cropping, o.densities, o.budget)
    );
    RETURN NULL;
END $$;
CREATE TRIGGER forget_made_sets AFTER UPDATE ON slots REFERENCING OLD TABLE AS before NEW TABLE AS changed
    FOR EACH STATEMENT EXECUTE FUNCTION forget_made_sets_of_slots();

DROP TRIGGER forget_made_sets ON site;
CREATE TRIGGER forget_made_sets AFTER UPDATE ON site FOR EACH ROW WHEN (
    OLD.settings - ARRAY['schedule', 'watch', 'page_budgets', 'address', 'folder', 'watches', 'allowed_hosts',
        'keep_days', 'import_action', 'treatment'] IS DISTINCT FROM
    NEW.settings - ARRAY['schedule', 'watch', 'page_budgets', 'address', 'folder', 'watches', 'allowed_hosts',
        'keep_days', 'import_action', 'treatment']
) EXECUTE FUNCTION forget_all_made_sets();

-- What of a picture decides its files: its revision also counts what is told of it alone, as where it is shown.
ALTER TABLE made_sets ADD COLUMN basis text, DROP COLUMN revision;
CREATE FUNCTION made_basis(p pictures) RETURNS text LANGUAGE sql STABLE AS $$
    SELECT md5(row(
        p.hash, p.name, p.title, p.caption, p.creator, p.licence, p.source, p.focal_x, p.focal_y,
        p.adjustments, p.class, p.colours, p.is_transparent
    )::text)
$$;

-- Which pages have a slot decides where its files change.
CREATE FUNCTION forget_made_sets_of_places() RETURNS trigger LANGUAGE plpgsql SET search_path FROM CURRENT AS $$
BEGIN
    DELETE FROM made_sets WHERE slot_id IN (SELECT slot_id FROM changed);
    RETURN NULL;
END $$;
CREATE TRIGGER forget_made_sets_insert AFTER INSERT ON places REFERENCING NEW TABLE AS changed
    FOR EACH STATEMENT EXECUTE FUNCTION forget_made_sets_of_places();
CREATE TRIGGER forget_made_sets_delete AFTER DELETE ON places REFERENCING OLD TABLE AS changed
    FOR EACH STATEMENT EXECUTE FUNCTION forget_made_sets_of_places();
CREATE FUNCTION forget_made_sets_of_place() RETURNS trigger LANGUAGE plpgsql SET search_path FROM CURRENT AS $$
BEGIN
    DELETE FROM made_sets WHERE slot_id IN (OLD.slot_id, NEW.slot_id);
    RETURN NULL;
END $$;
CREATE TRIGGER forget_made_sets_update AFTER UPDATE OF slot_id ON places FOR EACH ROW
    WHEN (OLD.slot_id <> NEW.slot_id) EXECUTE FUNCTION forget_made_sets_of_place();
