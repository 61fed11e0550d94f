//! A database of its own for each test, on the cluster that `bin/test` started.

use sea_orm::{ConnectionTrait, Database, Statement};
use uuid::Uuid;

/// Makes an empty database on the cluster that `bin/test` started, and returns its address.
///
/// # Panics
/// Without that cluster: run the tests through `bin/test`.
pub async fn database() -> String {
    let cluster = cluster();
    let name = format!("test_{}", Uuid::new_v4().simple());
    let connection = Database::connect(&cluster).await.expect("the cluster answers");
    let make = format!("CREATE DATABASE {name}");
    connection.execute_unprepared(&make).await.expect("a database can be made");
    connection.close().await.expect("a connection can be closed");
    let (server, _) = cluster.rsplit_once('/').expect("an address with a database");
    format!("{server}/{name}")
}

fn cluster() -> String {
    std::env::var("BRISK_MARGIN_TEST_DATABASE_URL")
        .expect("BRISK_MARGIN_TEST_DATABASE_URL names no cluster; run the tests through bin/test")
}

/// The name of the database at `address`, behind which a schema may be named ([`of_schema`]).
fn name_of(address: &str) -> &str {
    let (_, name) = address.rsplit_once('/').expect("an address with a database");
    name.split('?').next().unwrap_or(name)
}

/// Has the database at `address` refuse everybody, and ends the connections that there are, as when
/// its server is stopped; or has it `answer` again.
///
/// # Panics
/// Where the cluster does not answer.
pub async fn set_answering(address: &str, answer: bool) {
    let (cluster, name) = (cluster(), name_of(address));
    execute(&cluster, &format!("ALTER DATABASE {name} ALLOW_CONNECTIONS {answer}")).await;
    if !answer {
        end_connections(address).await;
    }
}

/// Ends every connection that somebody has to the database at `address`, as the end of their
/// processes would. The server's own processes there, such as a vacuum, are not ours to end.
///
/// # Panics
/// Where the cluster does not answer.
pub async fn end_connections(address: &str) {
    let (cluster, name) = (cluster(), name_of(address));
    let end = format!(
        "SELECT pg_terminate_backend(pid) FROM pg_stat_activity
         WHERE datname = '{name}' AND backend_type = 'client backend'"
    );
    execute(&cluster, &end).await;
}

/// The address of the database at `address` for somebody who looks for tables in `schema` first.
pub fn of_schema(address: &str, schema: &str) -> String {
    format!("{address}?options[search_path]={schema},public")
}

/// The numbers that `sql` selects, as `number`, in the database at `address`.
///
/// # Panics
/// Where the database refuses it.
pub async fn numbers(address: &str, sql: &str) -> Vec<i64> {
    let connection = Database::connect(address).await.expect("the database answers");
    let query = Statement::from_string(connection.get_database_backend(), sql);
    let rows = connection.query_all_raw(query).await.expect("a query that can be done");
    connection.close().await.expect("a connection can be closed");
    rows.iter().map(|row| row.try_get("", "number").expect("a number")).collect()
}

/// Does `sql` in the database at `address`, behind the program's back.
///
/// # Panics
/// Where the database refuses it.
pub async fn execute(address: &str, sql: &str) {
    let connection = Database::connect(address).await.expect("the database answers");
    connection.execute_unprepared(sql).await.expect("a statement that can be done");
    connection.close().await.expect("a connection can be closed");
}
