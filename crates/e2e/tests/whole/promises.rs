//! Promises on a real cloud: set and tried at a terminal, what would break one refused through the API, and what the cloud's own
//! people do an alarm that settles.

use tempestas_api::{NewDuty, NewMember, PromiseBody, PromisedBody};
use tempestas_client::ClientError;
use tempestas_core::{DutyKind, LookedAt};
use tempestas_demo::quillhaven::BRIGHTWATER;

use crate::house::{House, INES, MARA, ODA, Plan, TOMAS, on_cloud};

/// Why something is refused: its cause, and the sentence.
fn refused<T: std::fmt::Debug>(result: Result<T, ClientError>) -> (String, String) {
    match result {
        Err(ClientError::Refused(problem)) => (problem.cause.unwrap_or(problem.code), problem.detail),
        other => panic!("{other:?}"),
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn what_would_break_one_is_refused_with_the_shortest_example() {
    let house = House::new(Plan::cloud_only()).await;
    let writer = on_cloud("tide-writer", "/lake");
    house.eligible(ODA, &writer).await;
    let home = house.path().join("mara");
    house.sign_in_at_a_terminal(&home, MARA);
    let run = |arguments: &[&str]| house.tempestas(&home, arguments, "");
    let critical = ["--of", "weight:privileged@/analytics", "--answered", "1"];
    let (exit, text) = run(&[&["promises", "set", "critical-asked"][..], &critical].concat());
    assert!(exit == 0 && text.contains("without a yes from somebody else"), "{exit}: {text}");
    assert!(text.contains("all the time") && !text.contains(&format!("{ODA} may ask for")), "{text}");
    let (exit, text) = run(&["promises"]);
    assert!(exit == 0 && text.contains("critical-asked: nobody holds one of weight:privileged@/analytics"), "{text}");

    let rule =
        format!("scope = \"{BRIGHTWATER}/lake\"\nrole = \"tide-writer\"\n[settings]\napproval = {{ is = \"none\" }}\n");
    let (cause, says) = refused(house.client(MARA).add_terms(&toml::from_str(&rule).unwrap()).await);
    assert_eq!(cause, "would-break");
    assert!(says.contains("`critical-asked`") && says.contains("and nobody is asked"), "{says}");
    // For a group that nobody is in it breaks nothing, until somebody would join it.
    house.group("night-shift").await;
    house.client(MARA).add_terms(&toml::from_str(&format!("asker = \"night-shift\"\n{rule}")).unwrap()).await.unwrap();
    let member = NewMember { member: ODA.to_owned() };
    let (cause, says) = refused(house.client(MARA).add_member("night-shift", &member).await);
    assert_eq!(cause, "would-break");
    assert!(says.contains(&format!("{ODA} may ask for {writer}")), "{says}");
    let ask = house.ask(ODA, &writer, 600).await.unwrap();
    assert_ne!(ask.state, "live", "{}", ask.sentence);

    for (args, says) in [
        (["--of", "nonsense", "--never-standing"].as_slice(), "`nonsense` says no rights"),
        (&["--of", "no-such@/analytics", "--never-standing"], "there is no role yet as in `no-such@/analytics`"),
        (&["--of", "/analytics", "--answered", "0"], "promises nothing"),
        (&["--of", "/analytics", "--longest", "soon"], "soon"),
        (&["--of", "/analytics", "--assured", "no-such"], "no-such"),
        (&["--of", "/analytics", "--only", "no-such"], "no-such"),
        (&["--of", "/analytics"], "--answered"),
        (&["--of", "/analytics", "--answered", "1", "--never-standing"], "cannot be used with"),
    ] {
        let (exit, text) = run(&[&["promises", "set", "wrong"][..], args].concat());
        assert!(exit != 0 && text.contains(says), "{exit}: `{says}` is not said: {text}");
    }
    let (exit, text) = run(&["promises", "end", "critical-asked"]);
    assert!(exit == 0 && text.contains("Ended critical-asked"), "{exit}: {text}");
    house.client(MARA).add_member("night-shift", &member).await.unwrap();
    assert!(house.rebuild().0);
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_so_already_is_said_to_whoever_oversees_it_and_to_nobody_else() {
    let house = House::new(Plan::cloud_only()).await;
    let body = PromiseBody { of: "/analytics".to_owned(), by: None, promised: PromisedBody::NeverStanding };
    let would = house.client(MARA).preview_promise(&body).await.unwrap();
    assert!(would.times > 0 && would.examples[0].says.contains("all the time"), "{would:?}");
    assert!(house.client(MARA).promises().await.unwrap().is_empty());
    let set = house.client(MARA).set_promise("never-there", LookedAt::Nothing, &body).await.unwrap();
    assert_eq!((set.broken.times, &set.promise), (would.times, &body));
    assert_eq!(house.client(INES).promises().await.unwrap()[0].broken.times, would.times);
    assert!(house.client(TOMAS).promises().await.is_err());
    // Whoever administers a part sees no promise about more, learns nothing by trying one, and sets none.
    let scope = format!("{BRIGHTWATER}/lake");
    let duty = NewDuty { who: ODA.to_owned(), duty: DutyKind::Administrator, scope: scope.clone() };
    house.client(MARA).give_duty(&duty).await.unwrap();
    assert!(house.client(ODA).promises().await.unwrap().is_empty());
    for of in ["keysmith@/", "/analytics", "no-such@/"] {
        let body = PromiseBody { of: of.to_owned(), ..body.clone() };
        assert_eq!(refused(house.client(ODA).preview_promise(&body).await).0, "unknown", "{of}");
    }
    let own = PromiseBody { of: scope, ..body };
    house.client(ODA).preview_promise(&own).await.unwrap();
    assert_eq!(refused(house.client(ODA).set_promise("mine", LookedAt::Nothing, &own).await).0, "not-administrator");
    assert!(house.rebuild().0);
}
