//! `brisk-margin run` as a script uses it.

use std::process::{Command, Output};

use brisk_margin_core::format::Format;
use brisk_margin_e2e::application::{Application, Home, program};
use brisk_margin_testing::pictures::{encoded, spots};
use serde_json::{Value, json};

async fn run(application: &Application, arguments: &[&str]) -> Output {
    let mut command = Command::new(program());
    command.args(["run", "--server", &application.address]).args(arguments);
    tokio::task::spawn_blocking(move || command.output().unwrap()).await.unwrap()
}

fn lines(output: &Output) -> Vec<Value> {
    let text = std::str::from_utf8(&output.stdout).unwrap();
    text.lines().map(|line| serde_json::from_str(line).unwrap()).collect()
}

fn said(output: &Output) -> String {
    String::from_utf8_lossy(&output.stderr).into_owned()
}

#[tokio::test(flavor = "multi_thread")]
async fn a_plan_is_told_a_run_is_waited_for_and_a_failure_is_an_exit_code() {
    let home = Home::empty().await;
    let application = home.serve();
    let rule = json!({"formats": ["webp", "jpeg"], "densities": [1]});
    application.put("/api/output-rules", &rule).await;
    let slot = json!({"name": "Card", "kind": "card", "fit": "cover",
        "boxes": {"390": [300, 200]}});
    application.post("/api/slots", &slot).await;
    for n in 0..3 {
        let file = encoded(&spots(n, 500, 340), Format::Jpeg, 97);
        application.upload(&format!("walk-{n}.jpg"), file).await;
    }
    application.until_all_is_done(3).await;
    let site = application.json("/api/site").await["name"].as_str().unwrap().to_owned();
    let over = ["--site", &site, "--slot", "Card", "--filter", "search=walk"];
    let plan = run(&application, &[&over[..], &["--plan", "--json"]].concat()).await;
    assert_eq!(plan.status.code(), Some(0), "{}", said(&plan));
    assert_eq!(lines(&plan)[0]["sets"], 3, "{:?}", lines(&plan));
    let square = json!({"width": 120, "height": null, "ratio": {"kind": "square"}});
    application.put("/api/size-sets", &json!({"name": "Squares", "sizes": {"0": square}})).await;
    let preset = ["--site", &site, "--preset", "Squares", "--plan", "--json"];
    let plan = run(&application, &preset).await;
    assert_eq!(lines(&plan)[0]["sets"], 3, "{}", said(&plan));
    let none = run(&application, &["--site", &site, "--preset", "Rounds", "--plan"]).await;
    assert!(said(&none).contains("there is no size preset “Rounds”"), "{}", said(&none));
    let lean = ["--grade", "lean", "--formats", "png", "--plan"];
    let plan = run(&application, &[&over[..], &lean].concat()).await;
    let plan = String::from_utf8_lossy(&plan.stdout).into_owned();
    assert!(plan.contains("by PNG; lean, which changes the own rule of 3 pictures"), "{plan}");
    assert_eq!(application.json("/api/runs").await, json!([]), "it was only told");

    // One original is lost, and its pixels are not in memory any more: that costs the one.
    let lost = application.json("/api/pictures").await["pictures"][0]["hash"].clone();
    let lost = lost.as_str().unwrap();
    let blobs = home.data.path().join("data/blobs");
    std::fs::remove_file(blobs.join(&lost[..2]).join(lost)).unwrap();
    application.kill();
    let application = home.serve();
    let done = run(&application, &[&over[..], &["--json", "--name", "Walks"]].concat()).await;
    assert_eq!(done.status.code(), Some(1), "{}", said(&done));
    assert!(said(&done).contains("1 set could not be made"), "{}", said(&done));
    let told = lines(&done);
    assert_eq!(told.len(), 4, "each set, and the run");
    let failed = told.iter().find(|one| one["state"] == "failed").unwrap();
    assert!(failed["reason"].as_str().unwrap().contains("missing"), "{failed:#}");
    let run_itself = &told[3];
    assert_eq!(
        (&run_itself["name"], &run_itself["started_by"], &run_itself["done"]),
        (&json!("Walks"), &json!("command"), &json!(2))
    );

    let none = run(&application, &["--site", "Nowhere", "--plan"]).await;
    assert_eq!(none.status.code(), Some(1));
    assert!(said(&none).contains(&site), "it says which there are: {}", said(&none));
    let wrong = run(&application, &["--site", &site, "--filter", "colour=red"]).await;
    assert_eq!(wrong.status.code(), Some(2));
    application.kill();
    let mut away = Command::new(program());
    let away =
        away.args(["run", "--server", "http://127.0.0.1:9", "--site", "x"]).output().unwrap();
    assert!(said(&away).contains("the server does not answer"), "{}", said(&away));
}
