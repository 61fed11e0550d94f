-- Which generation of encoders a trial is of; those before this were never counted.
ALTER TABLE trials ADD COLUMN generation integer NOT NULL DEFAULT 0;

-- A file of one picture is never called as one of another.
CREATE INDEX variants_file_name ON variants (file_name);
