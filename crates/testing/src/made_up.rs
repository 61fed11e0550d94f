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
