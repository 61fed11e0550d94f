//! The boxes of pseudo-elements, which no script can measure and the browser tells.

use futures::future::join_all;
use serde_json::{Value, json};

use crate::devtools::{DevtoolsError, Session};
use crate::reading::{Edge, PageRect, Probe};

/// The boxes of `probes`, each with the edge that counts, in the same order; nothing for one that
/// is not laid out.
pub(crate) async fn boxes(
    session: &Session,
    probes: impl IntoIterator<Item = (Probe, Edge)>,
) -> Vec<Option<PageRect>> {
    join_all(probes.into_iter().map(|(probe, edge)| async move {
        // What has no box is refused, too.
        one(session, &probe, edge).await.ok().flatten()
    }))
    .await
}

async fn one(
    session: &Session,
    probe: &Probe,
    edge: Edge,
) -> Result<Option<PageRect>, DevtoolsError> {
    let expression = format!("globalThis.__probes[{}]", probe.at);
    let element = session.call("Runtime.evaluate", json!({"expression": expression})).await?;
    let object = element["result"]["objectId"].clone();
    let node = session.call("DOM.describeNode", json!({"objectId": object})).await?;
    let pseudos = node["node"]["pseudoElements"].as_array();
    let own = pseudos.and_then(|all| all.iter().find(|one| one["pseudoType"] == *probe.pseudo));
    let Some(id) = own.map(|pseudo| pseudo["backendNodeId"].clone()) else { return Ok(None) };
    let model = session.call("DOM.getBoxModel", json!({"backendNodeId": id})).await?;
    let quad = match edge {
        Edge::Border => &model["model"]["border"],
        Edge::Padding => &model["model"]["padding"],
        Edge::Content => &model["model"]["content"],
    };
    Ok(around(quad))
}

/// The rectangle around four corners. The page stands at its top while it is read.
fn around(quad: &Value) -> Option<PageRect> {
    let corners: Vec<f64> = quad.as_array()?.iter().filter_map(Value::as_f64).collect();
    let range = |first: usize| {
        let side = corners.iter().skip(first).step_by(2);
        side.fold((f64::MAX, f64::MIN), |(low, high), &at| (low.min(at), high.max(at)))
    };
    let ((left, right), (top, bottom)) = (range(0), range(1));
    (corners.len() == 8).then_some(PageRect {
        x: left,
        y: top,
        width: right - left,
        height: bottom - top,
    })
}
