CREATE TABLE pictures (
    id uuid PRIMARY KEY,
    name text NOT NULL,
    hash text NOT NULL UNIQUE,
    format text NOT NULL,
    width integer NOT NULL CHECK (width > 0),
    height integer NOT NULL CHECK (height > 0),
    bytes bigint NOT NULL CHECK (bytes > 0),
    has_alpha boolean NOT NULL,
    has_location boolean NOT NULL,
    profile text,
    focal_x double precision NOT NULL CHECK (focal_x BETWEEN 0 AND 1),
    focal_y double precision NOT NULL CHECK (focal_y BETWEEN 0 AND 1),
    created_at timestamptz NOT NULL
);
CREATE INDEX pictures_name ON pictures (lower(name), id);
CREATE INDEX pictures_bytes ON pictures (bytes, id);
CREATE TABLE variants (
    id uuid PRIMARY KEY,
    picture_id uuid NOT NULL REFERENCES pictures (id),
    recipe text NOT NULL,
    file_name text NOT NULL,
    "order" jsonb NOT NULL,
    format text NOT NULL,
    quality smallint,
    width integer NOT NULL CHECK (width > 0),
    height integer NOT NULL CHECK (height > 0),
    bytes bigint NOT NULL CHECK (bytes > 0),
    budget bigint NOT NULL CHECK (budget > 0),
    hash text NOT NULL,
    created_at timestamptz NOT NULL,
    UNIQUE (picture_id, recipe)
);
