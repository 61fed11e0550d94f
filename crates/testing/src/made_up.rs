//! Made-up pictures: rows without files, as many as are wanted.

use sea_orm::{ConnectionTrait, Database, DbErr};

/// Adds `rows` pictures that differ in everything that lists are sorted and filtered by.
///
/// # Errors
/// Where the database at `address` refuses them.
pub async fn add_pictures(address: &str, rows: u32) -> Result<(), DbErr> {
    let database = Database::connect(address).await?;
    let sql = format!(
        "INSERT INTO pictures (id, name, hash, format, width, height, bytes, has_alpha,
             has_location, focal_x, focal_y, created_at, folder, origin, title, alt, creator,
             class, colours, is_transparent, sample, status_revision, uses, today, possible_low,
             possible, possible_high, issues, severity)
         SELECT gen_random_uuid(),
             (ARRAY['dome', 'moor', 'star-walk', 'gallery', 'hire', 'journal', 'IMG'])[1 + n % 7]
                 || '-' || (ARRAY['dusk', 'winter', 'path', 'group', 'close'])[1 + n % 5]
                 || '-' || lpad(n::text, 6, '0') || '.jpg',
             encode(sha256(n::text::bytea), 'hex'),
             (ARRAY['jpeg', 'jpeg', 'jpeg', 'png', 'webp', 'gif'])[1 + n % 6],
             800 + n % 5200, 600 + n % 3400, 20000 + (n::bigint * 7919) % 6000000,
             n % 6 = 3, n % 31 = 0, 0.5, 0.5, now() - n * interval '7 minutes',
             (ARRAY['', '', 'walks/2025', 'walks/2026', 'journal'])[1 + n % 5], 'upload',
             CASE WHEN n % 3 = 0 THEN 'A walk in the dark' ELSE '' END,
             CASE WHEN n % 2 = 0 THEN 'People on the path below the dome, number ' || n ELSE '' END,
             CASE WHEN n % 4 = 0 THEN 'Ada Fenn' ELSE '' END,
             'photograph', 4096, false, '{{\"points\": [[40000, 6000], [160000, 19000], [640000, 61000]]}}',
             1, n % 4, 20000 + (n::bigint * 7919) % 6000000,
             15000, 20000, 26000,
             array_remove(ARRAY[
                 CASE WHEN n % 97 = 0 THEN 'too-small' END,
                 CASE WHEN n % 3 = 0 THEN 'heavier' END,
                 CASE WHEN n % 53 = 0 THEN 'wrong-format' END,
                 CASE WHEN n % 211 = 0 THEN 'duplicate' END,
                 CASE WHEN n % 31 = 0 THEN 'location' END,
                 CASE WHEN n % 2 = 1 THEN 'no-alt' END,
                 CASE WHEN n % 4 <> 0 THEN 'no-credit' END,
                 CASE WHEN n % 4 = 0 THEN 'not-used' END
             ], NULL),
             CASE WHEN n % 97 = 0 THEN 10 WHEN n % 3 = 0 THEN 8 WHEN n % 53 = 0 THEN 7
                 WHEN n % 211 = 0 THEN 6 WHEN n % 31 = 0 THEN 5 WHEN n % 2 = 1 THEN 4
                 WHEN n % 4 <> 0 THEN 3 ELSE 2 END
         FROM generate_series(1, {rows}) AS n"
    );
    database.execute_unprepared(&sql).await?;
    database.execute_unprepared("VACUUM ANALYZE pictures").await?;
    database.close().await
}

/// Adds `pages` measured pages with `places` places each, in 40 slots of which each page has some.
///
/// # Errors
/// Where the database at `address` refuses them.
pub async fn add_pages(address: &str, pages: u32, places: u32) -> Result<(), DbErr> {
    let database = Database::connect(address).await?;
    let boxes = "jsonb_build_object('390', jsonb_build_array(358, 220), '768',
        jsonb_build_array(340, 220), '1280', jsonb_build_array(200 + n * 10, 220))";
    let sql = format!(
        "INSERT INTO slots (id, name, kind, selector, fit, boxes, rendered, densities, created_at)
         SELECT md5('slot ' || n)::uuid, 'cards card ' || n, 'card',
             'main > ul.cards-' || n || ' > li > img', 'cover', {boxes}, {boxes}, '[1.0, 2.0]', now()
         FROM generate_series(1, 40) AS n;
         INSERT INTO pages (id, address, title, heights, breakpoints, measured_at)
         SELECT md5('page ' || n)::uuid, 'http://tarn.example/walks/' || n || '.html',
             'Star walk ' || n, '{{\"390\": 2000, \"768\": 1700, \"1280\": 1200}}', '[600, 900]', now()
         FROM generate_series(1, {pages}) AS n;
         INSERT INTO places (id, slot_id, page_id, selector, uncertain, details)
         SELECT gen_random_uuid(), md5('slot ' || n)::uuid, md5('page ' || page)::uuid,
             'main > ul > li:nth-of-type(' || place || ') > img', false,
             jsonb_build_object('boxes', {boxes}, 'rendered', {boxes}, 'positions', {boxes},
                 'files', jsonb_build_object('390', files, '768', files, '1280', files),
                 'painting', 'cover', 'position', '50% 50%', 'srcset', NULL, 'sizes', NULL,
                 'alt', 'A path', 'lazy', false, 'above_fold', place < 3, 'lcp', place = 1)
         FROM generate_series(1, {pages}) AS page, generate_series(1, {places}) AS place,
             LATERAL (SELECT 1 + (page + place * 7) % 40 AS n) slot,
             LATERAL (SELECT jsonb_build_object('url', '/media/' || page % 900 || '-' || place || '.jpg',
                 'size', jsonb_build_array(900 + place * 40, 600), 'format', 'jpeg',
                 'bytes', 20000 + (page::bigint * place * 7919) % 400000, 'hash', NULL) AS one) file,
             LATERAL (SELECT jsonb_build_object('1', one, '2', one) AS files) both_densities"
    );
    database.execute_unprepared(&sql).await?;
    database.execute_unprepared("VACUUM ANALYZE").await?;
    database.close().await
}
