-- Pages are called by what tells them apart, slots by what stands around them, unless somebody named
-- them.
ALTER TABLE pages ADD COLUMN name text NOT NULL DEFAULT '';
UPDATE pages SET name = CASE WHEN title = '' THEN address ELSE title END;

ALTER TABLE slots ADD COLUMN named_by_hand boolean NOT NULL DEFAULT true;
-- A class or the page's title with a kind behind it was our own name.
UPDATE slots SET named_by_hand = false
WHERE selector IS NOT NULL
  AND name ~ ' (header|text|background|card|thumbnail|icon)( \d+)?$'
  AND (
      position('.' || regexp_replace(name, ' (header|text|background|card|thumbnail|icon)( \d+)?$', '') IN selector) > 0
      OR EXISTS (
          SELECT FROM pages
          WHERE starts_with(
              pages.title, regexp_replace(slots.name, ' (header|text|background|card|thumbnail|icon)( \d+)?$', '')
          )
      )
  );
