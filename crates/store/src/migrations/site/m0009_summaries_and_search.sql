-- What the lists of pages and slots tell is kept with them, so that a list of thousands reads no
-- measured place. What makes it untrue is noted in the transaction that changes it, as rows of their
-- own: no transaction waits for another's.
ALTER TABLE pages ADD summary jsonb;
ALTER TABLE slots ADD summary jsonb;
CREATE TABLE stale_pages (id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY, page_id uuid NOT NULL);
CREATE TABLE stale_slots (id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY, slot_id uuid NOT NULL);
INSERT INTO stale_pages (page_id) SELECT id FROM pages;
INSERT INTO stale_slots (slot_id) SELECT id FROM slots;

CREATE FUNCTION places_changed() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    INSERT INTO stale_pages (page_id) SELECT DISTINCT page_id FROM changed;
    INSERT INTO stale_slots (slot_id) SELECT DISTINCT slot_id FROM changed;
    RETURN NULL;
END $$;
CREATE TRIGGER places_added AFTER INSERT ON places
    REFERENCING NEW TABLE AS changed FOR EACH STATEMENT EXECUTE FUNCTION places_changed();
CREATE TRIGGER places_gone AFTER DELETE ON places
    REFERENCING OLD TABLE AS changed FOR EACH STATEMENT EXECUTE FUNCTION places_changed();
CREATE TRIGGER places_before AFTER UPDATE ON places
    REFERENCING OLD TABLE AS changed FOR EACH STATEMENT EXECUTE FUNCTION places_changed();
CREATE TRIGGER places_after AFTER UPDATE ON places
    REFERENCING NEW TABLE AS changed FOR EACH STATEMENT EXECUTE FUNCTION places_changed();

CREATE FUNCTION slot_changed() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    INSERT INTO stale_slots (slot_id) VALUES (NEW.id);
    INSERT INTO stale_pages (page_id) SELECT DISTINCT page_id FROM places WHERE slot_id = NEW.id;
    RETURN NULL;
END $$;
CREATE TRIGGER slot_changed
    AFTER INSERT OR UPDATE OF fit, boxes, rendered, hand_boxes, cropping, densities, budget ON slots
    FOR EACH ROW EXECUTE FUNCTION slot_changed();

CREATE FUNCTION page_changed() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    INSERT INTO stale_pages (page_id) VALUES (NEW.id);
    INSERT INTO stale_slots (slot_id) SELECT DISTINCT slot_id FROM places WHERE page_id = NEW.id;
    RETURN NULL;
END $$;
CREATE TRIGGER page_changed AFTER INSERT OR UPDATE OF breakpoints ON pages
    FOR EACH ROW EXECUTE FUNCTION page_changed();

CREATE FUNCTION placed_picture_changed() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    INSERT INTO stale_pages (page_id)
        SELECT DISTINCT page_id FROM places WHERE picture_id = NEW.id;
    INSERT INTO stale_slots (slot_id)
        SELECT DISTINCT slot_id FROM places WHERE picture_id = NEW.id;
    RETURN NULL;
END $$;
CREATE TRIGGER placed_picture_changed
    AFTER UPDATE OF adjustments, focal_x, focal_y, removed_at ON pictures
    FOR EACH ROW WHEN (
        (OLD.adjustments, OLD.focal_x, OLD.focal_y, OLD.removed_at)
        IS DISTINCT FROM (NEW.adjustments, NEW.focal_x, NEW.focal_y, NEW.removed_at)
    ) EXECUTE FUNCTION placed_picture_changed();

-- Look-alikes are found by an index: a hash in four parts of 16 signs, each with its place.
ALTER TABLE pictures ADD hash_parts int[] GENERATED ALWAYS AS (
    CASE WHEN perceptual_hash IS NOT NULL THEN ARRAY[
        (perceptual_hash & 65535)::int,
        65536 + ((perceptual_hash >> 16) & 65535)::int,
        131072 + ((perceptual_hash >> 32) & 65535)::int,
        196608 + ((perceptual_hash >> 48) & 65535)::int
    ] END
) STORED;
CREATE INDEX pictures_hash_parts ON pictures USING gin (hash_parts) WITH (fastupdate = off);
