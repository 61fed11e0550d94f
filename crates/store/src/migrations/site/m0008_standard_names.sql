-- Tables and columns are called what everybody calls them; keys are hashes instead of texts, and
-- names of files are allocated.

ALTER TABLE pictures RENAME told TO embedded;
ALTER TABLE pictures RENAME treatment TO import_action;
ALTER TABLE pictures RENAME look_hash TO perceptual_hash;
ALTER TABLE pictures RENAME look_failed TO analysis_failed;
ALTER TABLE pictures RENAME advice TO issues;
ALTER TABLE pictures RENAME changed TO revision;
ALTER TABLE pictures RENAME judged TO status_revision;
ALTER TABLE pictures RENAME work TO adjustments;
ALTER INDEX pictures_advice RENAME TO pictures_issues;
ALTER INDEX pictures_not_looked_at RENAME TO pictures_not_analysed;

ALTER TABLE occurrences RENAME TO places;
ALTER TABLE places RENAME doubtful TO uncertain;
ALTER INDEX occurrences_pkey RENAME TO places_pkey;
ALTER INDEX occurrences_slot RENAME TO places_slot;
ALTER INDEX occurrences_served RENAME TO places_served;
ALTER INDEX occurrences_picture RENAME TO places_picture;

ALTER TABLE steps RENAME work TO adjustments;
ALTER TABLE uploads RENAME treatment TO import_action;

ALTER TABLE finishes RENAME TO edit_presets;
ALTER TABLE edit_presets RENAME finish TO edits;

-- Whoever asks for a name gets it alone: the pixels of a picture, whatever their encoding.
CREATE TABLE file_names (
    name text PRIMARY KEY,
    picture_id uuid NOT NULL REFERENCES pictures (id) ON DELETE CASCADE,
    render_key text NOT NULL
);
CREATE INDEX file_names_picture ON file_names (picture_id);
-- Names from before belong to the pixels that had them first: all of a recipe but its generation
-- and what stands from the format on.
INSERT INTO file_names (name, picture_id, render_key)
SELECT DISTINCT ON (file_name) file_name, picture_id, encode(sha256(convert_to(
    regexp_replace(recipe, '^[0-9]+ (.*),"format":".*$', '\1}'), 'UTF8')), 'hex')
FROM variants ORDER BY file_name, id;

-- A text of many edits is longer than an entry of an index may be.
ALTER TABLE variants ADD cache_key text;
UPDATE variants SET cache_key = encode(sha256(convert_to(recipe, 'UTF8')), 'hex');
ALTER TABLE variants DROP CONSTRAINT variants_picture_id_recipe_key;
ALTER TABLE variants DROP recipe;
ALTER TABLE variants ALTER cache_key SET NOT NULL;
ALTER TABLE variants RENAME "order" TO spec;
CREATE UNIQUE INDEX variants_key ON variants (picture_id, cache_key);

ALTER TABLE trials RENAME framing TO spec;
ALTER TABLE trials ADD render_key text;
UPDATE trials SET render_key = encode(sha256(convert_to(spec, 'UTF8')), 'hex');
ALTER TABLE trials DROP CONSTRAINT trials_picture_id_framing_encoding_key;
ALTER TABLE trials ALTER render_key SET NOT NULL;
CREATE UNIQUE INDEX trials_key ON trials (picture_id, render_key, encoding);
