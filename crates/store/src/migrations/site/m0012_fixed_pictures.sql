-- Pictures of a page that cannot be replaced, and why.
ALTER TABLE pages ADD COLUMN fixed jsonb NOT NULL DEFAULT '[]';
