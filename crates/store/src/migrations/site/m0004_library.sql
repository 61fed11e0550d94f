CREATE EXTENSION IF NOT EXISTS pg_trgm;

ALTER TABLE pictures
    ADD frames integer NOT NULL DEFAULT 1,
    ADD folder text NOT NULL DEFAULT '',
    ADD origin text NOT NULL DEFAULT 'upload',
    -- What people say of it.
    ADD title text NOT NULL DEFAULT '',
    ADD alt text NOT NULL DEFAULT '',
    ADD decorative boolean NOT NULL DEFAULT false,
    ADD caption text NOT NULL DEFAULT '',
    ADD creator text NOT NULL DEFAULT '',
    ADD licence text NOT NULL DEFAULT '',
    ADD source text NOT NULL DEFAULT '',
    -- What its file tells, and how it looks; nothing before it was looked at.
    ADD told jsonb NOT NULL DEFAULT '{}',
    ADD class text,
    ADD colours integer,
    ADD is_transparent boolean,
    ADD look_hash bigint,
    ADD sample jsonb,
    ADD look_failed text,
    -- What is still to be made of it.
    ADD treatment jsonb,
    -- How it stands: how often what it depends on changed, and which of these was judged.
    ADD changed integer NOT NULL DEFAULT 1,
    ADD judged integer NOT NULL DEFAULT 0,
    ADD uses integer NOT NULL DEFAULT 0,
    ADD today bigint NOT NULL DEFAULT 0,
    ADD possible_low bigint,
    ADD possible bigint,
    ADD possible_high bigint,
    ADD short double precision,
    ADD advice text[] NOT NULL DEFAULT '{}',
    ADD severity smallint NOT NULL DEFAULT 0,
    ADD removed_at timestamptz;
ALTER TABLE pictures
    ADD saving bigint GENERATED ALWAYS AS (greatest(today - coalesce(possible, today), 0)) STORED,
    ADD pixels bigint GENERATED ALWAYS AS (width::bigint * height) STORED,
    ADD words text GENERATED ALWAYS AS (
        lower(name || ' ' || title || ' ' || alt || ' ' || caption || ' ' || creator)
    ) STORED;

DROP INDEX pictures_name;
DROP INDEX pictures_bytes;
-- One for each column that a list can be sorted by; what was removed is never listed among them.
CREATE INDEX pictures_newest ON pictures (id) WHERE removed_at IS NULL;
CREATE INDEX pictures_name ON pictures (lower(name), id) WHERE removed_at IS NULL;
CREATE INDEX pictures_bytes ON pictures (bytes, id) WHERE removed_at IS NULL;
CREATE INDEX pictures_pixels ON pictures (pixels, id) WHERE removed_at IS NULL;
CREATE INDEX pictures_format ON pictures (format, id) WHERE removed_at IS NULL;
CREATE INDEX pictures_uses ON pictures (uses, id) WHERE removed_at IS NULL;
CREATE INDEX pictures_severity ON pictures (severity, id) WHERE removed_at IS NULL;
CREATE INDEX pictures_saving ON pictures (saving, id) WHERE removed_at IS NULL;
CREATE INDEX pictures_alt ON pictures (lower(alt), id) WHERE removed_at IS NULL;
CREATE INDEX pictures_creator ON pictures (lower(creator), id) WHERE removed_at IS NULL;
CREATE INDEX pictures_advice ON pictures USING gin (advice) WHERE removed_at IS NULL;
CREATE INDEX pictures_words ON pictures USING gin (words gin_trgm_ops) WHERE removed_at IS NULL;
CREATE INDEX pictures_folder ON pictures (folder, id) WHERE removed_at IS NULL;
CREATE INDEX pictures_removed ON pictures (removed_at) WHERE removed_at IS NOT NULL;
CREATE INDEX pictures_not_looked_at ON pictures (id) WHERE class IS NULL AND look_failed IS NULL;
CREATE INDEX pictures_stale ON pictures (id) WHERE changed <> judged;

-- The files of a place by their content, to find where a picture is served as it is.
ALTER TABLE occurrences ADD served jsonb
    GENERATED ALWAYS AS (jsonb_path_query_array(details, '$.files.*.*.hash')) STORED;
CREATE INDEX occurrences_served ON occurrences USING gin (served);
CREATE INDEX occurrences_picture ON occurrences (picture_id);

-- Pictures that look the same; the lower number first.
CREATE TABLE alike (
    one uuid NOT NULL REFERENCES pictures (id) ON DELETE CASCADE,
    other uuid NOT NULL REFERENCES pictures (id) ON DELETE CASCADE,
    distance smallint NOT NULL,
    -- Somebody said that they are two pictures all the same.
    apart boolean NOT NULL DEFAULT false,
    PRIMARY KEY (one, other),
    CHECK (one < other)
);
CREATE INDEX alike_other ON alike (other);

-- Bytes that no row speaks of since then.
CREATE TABLE orphans (
    hash text PRIMARY KEY,
    since timestamptz NOT NULL
);

-- What can be taken back, and what stood there before.
CREATE TABLE changes (
    id uuid PRIMARY KEY,
    summary text NOT NULL,
    before jsonb NOT NULL,
    after jsonb NOT NULL,
    made_at timestamptz NOT NULL,
    taken_back boolean NOT NULL DEFAULT false
);

CREATE TABLE saved_filters (
    id uuid PRIMARY KEY,
    name text NOT NULL UNIQUE,
    query jsonb NOT NULL
);

CREATE TABLE collections (
    id uuid PRIMARY KEY,
    name text NOT NULL UNIQUE
);
CREATE TABLE collected (
    collection_id uuid NOT NULL REFERENCES collections (id) ON DELETE CASCADE,
    picture_id uuid NOT NULL REFERENCES pictures (id) ON DELETE CASCADE,
    place integer NOT NULL,
    PRIMARY KEY (collection_id, picture_id)
);
CREATE INDEX collected_picture ON collected (picture_id);

-- Files in the site's own folder, and what became of them.
CREATE TABLE folder_files (
    path text PRIMARY KEY,
    bytes bigint NOT NULL,
    modified_at timestamptz NOT NULL,
    hash text,
    picture_id uuid REFERENCES pictures (id) ON DELETE SET NULL,
    -- Why it was not taken.
    refusal text
);
CREATE INDEX folder_files_picture ON folder_files (picture_id);
-- Pictures whose file there is another one now.
CREATE TABLE replaced_files (
    path text NOT NULL,
    picture_id uuid NOT NULL REFERENCES pictures (id) ON DELETE CASCADE,
    replaced_at timestamptz NOT NULL,
    PRIMARY KEY (path, picture_id)
);
CREATE INDEX replaced_files_picture ON replaced_files (picture_id);

-- Uploads that may be resumed; their bytes lie in the spool.
CREATE TABLE uploads (
    id uuid PRIMARY KEY,
    name text NOT NULL,
    folder text NOT NULL,
    bytes bigint NOT NULL CHECK (bytes >= 0),
    treatment jsonb NOT NULL,
    made_at timestamptz NOT NULL
);
