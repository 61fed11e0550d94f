-- How the files of a run are made, where that was chosen for it.
ALTER TABLE runs ADD COLUMN own_rule jsonb;

-- What runs made of pictures' own rules, in this order: each picture's as its run found it.
CREATE TABLE run_rules (
    number bigint GENERATED ALWAYS AS IDENTITY,
    run_id uuid NOT NULL REFERENCES runs (id) ON DELETE CASCADE,
    picture_id uuid NOT NULL REFERENCES pictures (id) ON DELETE CASCADE,
    before jsonb NOT NULL,
    PRIMARY KEY (run_id, picture_id)
);
CREATE INDEX run_rules_of_picture ON run_rules (picture_id, number);

-- The rules that decide the files of a picture in a slot, as one text.
CREATE FUNCTION deciding_rules(picture uuid, slot uuid) RETURNS text LANGUAGE sql STABLE AS $$
    SELECT coalesce(md5(string_agg(rule::text, ' ' ORDER BY picture_id, slot_id)), '') FROM output_rules
    WHERE picture_id = picture OR slot_id = slot OR picture_id IS NULL AND slot_id IS NULL
$$;
