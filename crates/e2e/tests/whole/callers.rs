//! Every route of the OpenAPI document, called as nobody and as each kind of caller, against a table.

use std::collections::BTreeMap;

use reqwest::{Method, StatusCode};
use serde_json::Value;
use tempestas_client::Client;

use crate::house::{House, INES, MARA, Plan, TOMAS};

/// Who may call what. A route that is not here fails the test, and so does one that is here and not there.
const TABLE: &str = "
anyone         post   /sign-in
anyone         post   /enrol
anyone         get    /openapi.json
anyone         post   /console/sign-in
anyone         post   /console/passkey/challenge
anyone         post   /console/passkey
anyone         post   /devices
anyone         post   /devices/token
signed-in      post   /sign-out
signed-in      get    /me
signed-in      post   /me/proof
signed-in      post   /me/proof/challenge
signed-in      post   /me/proof/passkey
signed-in      get    /passkeys
signed-in      post   /passkeys/challenge
signed-in      post   /passkeys
signed-in      delete /passkeys/{id}
signed-in      post   /devices/look
signed-in      post   /devices/answer
signed-in      get    /drafts
signed-in      get    /drafts/{id}
signed-in      post   /drafts/{id}/confirm
signed-in      post   /drafts/{id}/drop
signed-in      get    /events
signed-in      get    /now
signed-in      get    /search
signed-in      get    /days
signed-in      get    /stops
signed-in      get    /stops/{id}
signed-in      get    /people/{who}
signed-in      get    /elevations/{id}/context
signed-in      get    /ledger/{n}/proof
signed-in      get    /sign-ins
signed-in      delete /sign-ins/{id}
signed-in      get    /eligible
signed-in      get    /terms/effective
signed-in      get    /offers
signed-in      post   /wishes
signed-in      patch  /eligibilities/{id}
signed-in      get    /eligibilities/{id}
signed-in      get    /appointments
signed-in      get    /appointments/{id}
signed-in      post   /covers
signed-in      get    /delegations
signed-in      post   /delegations
signed-in      delete /delegations/{id}
signed-in      post   /appointments/{id}/answer
signed-in      post   /appointments/{id}/end
signed-in      post   /asks/preview
signed-in      post   /asks
signed-in      get    /waiting
signed-in      get    /debriefs
signed-in      get    /elevations
signed-in      get    /elevations/csv
signed-in      get    /elevations/{id}
signed-in      post   /elevations/{id}/answer
signed-in      post   /elevations/{id}/withdraw
signed-in      post   /elevations/{id}/begin
signed-in      post   /elevations/{id}/extend/preview
signed-in      post   /elevations/{id}/extend
signed-in      post   /elevations/{id}/grace
signed-in      post   /elevations/{id}/give-back
signed-in      post   /elevations/{id}/revoke
signed-in      post   /elevations/{id}/debrief
signed-in      post   /elevations/{id}/login
signed-in      get    /ledger
signed-in      get    /ledger/csv
signed-in      get    /ledger/checkpoint
overseer       get    /people
overseer       get    /first-day
overseer       get    /duties
overseer       get    /estate
overseer       get    /targets
overseer       get    /roles
overseer       get    /authorities
overseer       get    /people/{who}/account
overseer       get    /people/{who}/manager
overseer       get    /targets/settings
overseer       get    /alarms
overseer       get    /alarms/{id}
overseer       get    /standing
overseer       get    /standing/{id}
overseer       get    /conversions
overseer       get    /conversions/{id}
overseer       get    /drift
overseer       get    /drift/{id}
overseer       get    /terms/{id}
overseer       get    /drift/{id}/patch
overseer       get    /sources
overseer       get    /ways
overseer       get    /eligibilities
overseer       get    /terms
overseer       get    /terms/files
overseer       get    /terms/filings
overseer       get    /assurances
overseer       get    /assurances/{name}
overseer       get    /calendars
overseer       get    /calendars/{name}
overseer       get    /circumstances
overseer       get    /circumstances/{name}
overseer       get    /promises
overseer       get    /promises/{name}
overseer       get    /separations
overseer       get    /separations/{name}
overseer       get    /ledger/export
administrator  post   /stops
administrator  post   /stops/{id}/lift
administrator  post   /terms/preview
administrator  post   /terms/files/preview
administrator  put    /terms/files
administrator  get    /terms/filings/{id}/undo
administrator  post   /terms/filings/{id}/undo
administrator  put    /assurances/{name}
administrator  delete /assurances/{name}
administrator  put    /calendars/{name}
administrator  delete /calendars/{name}
administrator  put    /circumstances/{name}
administrator  delete /circumstances/{name}
administrator  post   /promises/preview
administrator  put    /promises/{name}
administrator  delete /promises/{name}
administrator  post   /separations/preview
administrator  put    /separations/{name}
administrator  delete /separations/{name}
administrator  post   /separations/{name}/tolerate
administrator  post   /people
administrator  post   /people/{who}/enrolment
administrator  post   /people/{who}/suspend
administrator  post   /people/{who}/resume
administrator  put    /people/{who}/account
administrator  put    /people/{who}/manager
administrator  post   /groups/{group}/members
administrator  delete /groups/{group}/members/{member}
administrator  post   /duties
administrator  delete /duties/{id}
administrator  post   /folders
administrator  post   /targets
administrator  patch  /targets/settings
administrator  post   /targets/survey
administrator  post   /targets/accept
administrator  post   /targets/seals/tried
administrator  get    /targets/enrolment
administrator  post   /targets/check
administrator  post   /targets/end
administrator  post   /authorities/step
administrator  post   /alarms/{id}/settle
administrator  post   /conversions/preview
administrator  post   /conversions
administrator  post   /conversions/{id}/undo
administrator  post   /conversions/{id}/next
administrator  post   /rehearsals/preview
administrator  post   /sources
administrator  post   /sources/read
administrator  post   /sources/accept
administrator  post   /sources/end
administrator  post   /drift/{id}/adopt
administrator  post   /drift/{id}/put-back
administrator  post   /drift/{id}/ignore
administrator  post   /eligibilities
administrator  delete /eligibilities/{id}
administrator  post   /eligibilities/{id}/suspend
administrator  post   /eligibilities/{id}/resume
administrator  post   /terms/{id}/suspend
administrator  post   /terms/{id}/resume
administrator  post   /terms
administrator  put    /terms/{id}
administrator  delete /terms/{id}
";

/// Status of a call with an empty body and nonsense in the path: enough to tell the door from what is behind it.
async fn status(client: &Client, method: &str, path: &str) -> (StatusCode, String) {
    let method: Method = method.to_uppercase().parse().unwrap();
    let segments: Vec<&str> =
        path.split('/').skip(3).map(|segment| if segment.starts_with('{') { "none-such" } else { segment }).collect();
    let body = (method != Method::GET).then_some(serde_json::json!({}));
    match client.send::<_, ()>(method, &segments, None, body.as_ref()).await {
        Ok(response) => (response.status(), String::new()),
        Err(tempestas_client::ClientError::Refused(problem)) => {
            (StatusCode::from_u16(problem.status).unwrap(), problem.detail)
        }
        // Two of them speak as OAuth does.
        Err(tempestas_client::ClientError::Unreadable(says)) if path.contains("/devices") => {
            assert_eq!(says, "status 400 Bad Request");
            (StatusCode::BAD_REQUEST, says)
        }
        Err(other) => panic!("{other}"),
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn every_route_lets_in_whom_the_table_says_and_nobody_else() {
    let house = House::new(Plan::cloud_only()).await;
    let document: Value = house.document().await;
    let mut routes = BTreeMap::new();
    for (path, methods) in document["paths"].as_object().unwrap() {
        for (method, operation) in methods.as_object().unwrap() {
            routes.insert((path.clone(), method.clone()), operation["x-caller"].as_str().unwrap().to_owned());
        }
    }
    let table: BTreeMap<(String, String), String> = TABLE
        .lines()
        .filter(|line| !line.is_empty())
        .map(|line| {
            let mut words = line.split_whitespace();
            let (caller, method, path) = (words.next().unwrap(), words.next().unwrap(), words.next().unwrap());
            ((format!("/api/v1{path}"), method.to_owned()), caller.to_owned())
        })
        .collect();
    assert_eq!(routes, table);

    let callers = [("nobody", 0), (TOMAS, 1), (INES, 2), (MARA, 3)];
    let rank = |caller: &str| match caller {
        "anyone" => 0,
        "signed-in" => 1,
        "overseer" => 2,
        _ => 3,
    };
    let token_ender = [("/api/v1/sign-out", "post")];
    for ((path, method), caller) in &routes {
        if token_ender.contains(&(path.as_str(), method.as_str())) {
            continue;
        }
        for (who, power) in callers {
            let (seen, says) = status(house.client(who), method, path).await;
            let what = format!("{method} {path} as {who}: {seen} {says}");
            if power >= rank(caller) {
                // Let in: whatever is wrong now is the nonsense it was given.
                assert!(seen != StatusCode::FORBIDDEN || says.contains("whole ledger"), "{what}");
                assert!(seen != StatusCode::UNAUTHORIZED || caller == "anyone", "{what}");
                assert!(!seen.is_server_error(), "{what}");
            } else if who == "nobody" {
                assert_eq!(seen, StatusCode::UNAUTHORIZED, "{what}");
            } else {
                assert_eq!(seen, StatusCode::FORBIDDEN, "{what}");
            }
        }
    }
    assert_eq!(status(house.client("nobody"), "post", "/api/v1/sign-out").await.0, StatusCode::UNAUTHORIZED);
    let forged = house.client("nobody").with_token("A".repeat(43));
    assert_eq!(status(&forged, "get", "/api/v1/me").await.0, StatusCode::UNAUTHORIZED);
}

impl House {
    pub async fn document(&self) -> Value {
        let url = format!("{}/api/v1/openapi.json", self.service.address);
        reqwest::get(url).await.unwrap().json().await.unwrap()
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn a_device_confirms_no_draft_of_its_own_and_lets_nobody_in() {
    let house = House::new(Plan::cloud_only()).await;
    let device = house.let_in(MARA).await;
    for path in ["drafts/1/confirm", "devices/answer", "passkeys/challenge", "me/proof"] {
        let url = format!("{}/api/v1/{path}", house.service.address);
        let sent = reqwest::Client::new().post(url).bearer_auth(&device).json(&serde_json::json!({}));
        assert_eq!(sent.send().await.unwrap().status(), StatusCode::FORBIDDEN, "{path}");
    }
}
