//! What a run made: checked, refused, told.

use serde_json::json;

use super::{Library, files_of, id_of, library};

#[tokio::test]
async fn results_are_checked_at_their_worst_spot_refused_and_made_again() {
    let Library { api, heavy, light, .. } = library().await;
    let run = id_of(&api.post("/api/runs", &json!({"which": {"filter": {}}})).await.json());
    api.work().await;
    let checks = async || api.get(&format!("/api/runs/{run}/checks")).await.json();
    let sheet = checks().await;
    let sheet = sheet.as_array().unwrap();
    assert_eq!(sheet.len(), 2);
    assert!(sheet[0]["score"].as_f64() <= sheet[1]["score"].as_f64(), "the lowest score first");
    for one in sheet {
        let (spot, size) = (&one["spot"]["place"], &one["size"]);
        let right = spot["x"].as_u64().unwrap() + spot["width"].as_u64().unwrap();
        assert!(right <= size["width"].as_u64().unwrap(), "{one:#}");
        let trial = one["trial"].as_str().unwrap();
        assert_eq!(api.get(&format!("/api/trials/{trial}/file")).await.status, 200);
    }
    let good = json!({"places": [sheet[0]["place"]], "approved": true});
    assert_eq!(api.post(&format!("/api/runs/{run}/approve"), &good).await.json()["sets"], 1);
    let bad = json!({"places": [sheet[1]["place"]]});
    api.post(&format!("/api/runs/{run}/take-back"), &bad).await;
    assert_eq!(checks().await, json!([]));
    let files = files_of(&api, &heavy).await + files_of(&api, &light).await;

    // What was refused by mistake is made again, and is to be looked at again.
    let again = api.post(&format!("/api/runs/{run}/again"), &bad).await.json();
    assert_eq!(again["sets"], 1);
    assert_eq!(api.get(&format!("/api/runs/{run}")).await.json()["state"], "running");
    api.work().await;
    let told = api.get(&format!("/api/runs/{run}")).await.json();
    assert_eq!(
        (&told["state"], &told["done"], &told["unchecked"]),
        (&json!("done"), &json!(2), &json!(1))
    );
    assert!(files_of(&api, &heavy).await + files_of(&api, &light).await > files);
    let approved = json!({"places": [sheet[0]["place"]], "approved": false});
    api.post(&format!("/api/runs/{run}/approve"), &approved).await;
    assert_eq!(checks().await.as_array().unwrap().len(), 2);
}

#[tokio::test]
async fn a_run_is_told_as_a_table_and_beside_another_one() {
    let Library { api, heavy, .. } = library().await;
    let only = json!({"which": {"filter": {}}, "name": "Gallery"});
    let first = id_of(&api.post("/api/runs", &only).await.json());
    api.work().await;
    let rule = json!({"formats": ["webp", "jpeg"], "densities": [1, 2],
        "want": {"by": "grade", "value": "fine"}});
    assert!(api.put("/api/output-rules", &rule).await.status.is_success());
    let second = id_of(&api.post("/api/runs", &only).await.json());
    api.work().await;

    let csv = api.get(&format!("/api/runs/{first}/results.csv")).await.text();
    let lines: Vec<&str> = csv.lines().collect();
    assert_eq!(lines.len(), 4, "{csv}");
    assert!(lines[0].starts_with("picture,slot,state,reason,before,expected,after,score,files"));
    assert!(lines.iter().any(|line| line.contains("used in no slot")), "{csv}");
    let whole = api.get(&format!("/api/runs/{first}/results.json")).await.json();
    assert_eq!(
        (&whole["run"]["name"], whole["items"].as_array().unwrap().len()),
        (&json!("Gallery"), 3)
    );
    let error = whole["run"]["forecast_error"].as_f64().unwrap();
    assert!(error.abs() < 0.5, "told after the run: {error}");
    assert_eq!(whole["run"]["rule"]["densities"], json!([1.0, 2.0]), "as it was then");

    let beside = api.get(&format!("/api/runs/{first}/against/{second}")).await.json();
    assert_eq!(beside["sets"], 2, "{beside:#}");
    let bytes = beside["bytes"].as_array().unwrap();
    assert!(bytes[0].as_u64() < bytes[1].as_u64(), "finer files weigh more");
    let score = beside["score"].as_array().unwrap();
    assert!(score[0].as_f64() < score[1].as_f64());
    assert!(beside["rows"].as_array().unwrap().iter().any(|row| row["picture"] == json!(heavy)));
    let missing = "/api/runs/00000000-0000-0000-0000-000000000000";
    assert_eq!(api.get(&format!("/api/runs/{first}/against/{}", &missing[10..])).await.status, 404);
}
