//! What whoever runs the application sees of it: request ids, readiness and figures.

use brisk_margin_e2e::application::Home;
use brisk_margin_e2e::http::{bytes_at, client};
use brisk_margin_testing::pictures::gradient_jpeg;
use serde_json::Value;

#[tokio::test(flavor = "multi_thread")]
async fn a_problem_and_its_answer_name_the_same_request() {
    let home = Home::empty().await;
    let application = home.serve();
    let asked = client().get(application.url("/api/pictures/00000000-0000-0000-0000-000000000000"));
    let answer = asked.header("x-request-id", "night-47").send().await.unwrap();
    assert_eq!(answer.headers()["x-request-id"], "night-47");
    let problem: Value = serde_json::from_str(&answer.text().await.unwrap()).unwrap();
    assert_eq!(problem["request"], "night-47");
    let ready = client().get(format!("{}/api/ready", application.address)).send().await.unwrap();
    assert_eq!(ready.status(), 200);
    assert!(ready.headers().contains_key("x-request-id"));
}

#[tokio::test(flavor = "multi_thread")]
async fn figures_tell_of_requests_jobs_memory_and_disk() {
    let home = Home::empty().await;
    let port = std::net::TcpListener::bind(("127.0.0.1", 0)).unwrap().local_addr().unwrap().port();
    let application = home.serve_with(&["--metrics-port", &port.to_string()]);
    application.upload("dome.jpg", gradient_jpeg(300, 200)).await;
    application.until_all_is_done(1).await;
    let told = bytes_at(format!("http://127.0.0.1:{port}/metrics")).await;
    let told = String::from_utf8(told).unwrap();
    let value = |name: &str| {
        let line = told.lines().find_map(|line| line.strip_prefix(name));
        let line = line.unwrap_or_else(|| panic!("no {name} in\n{told}"));
        line.trim().parse::<f64>().unwrap()
    };
    let uploads = r#"brisk_margin_requests_total{method="POST",route="/api/sites/{site}/pictures",status="201"}"#;
    assert_eq!(value(uploads), 1.0);
    assert_eq!(value(r#"brisk_margin_job_attempts_total{kind="analyse",ended="done"}"#), 1.0);
    assert_eq!(value(r#"brisk_margin_jobs{kind="analyse",state="running"}"#), 0.0);
    assert_eq!(value("brisk_margin_database_up"), 1.0);
    assert!(value("brisk_margin_disk_free_bytes") > 1e6);
    assert_eq!(value("brisk_margin_memory_limit_bytes"), (1_500_000_000_u64 >> 20 << 20) as f64);
    // The interface's own port has none of it.
    let there = client().get(format!("{}/metrics", application.address)).send().await.unwrap();
    assert!(!there.text().await.unwrap().contains("brisk_margin_jobs"));
}
