//! What the client prints, and what becomes of it where it can't be printed.

use std::process::{Command, Output, Stdio};

use tempestas_api::{ElevationFilter, LedgerFilter, WaitQuery};

use crate::house::{House, MARA, ODA, Plan, TOMAS, on_berths, on_cloud};

/// The client as a test runs it, with surroundings of its own.
fn client(house: &House, home: &std::path::Path) -> Command {
    let mut command = Command::new(tempestas_demo::processes::program("tempestas").unwrap());
    command.env("TEMPESTAS_SERVER", &house.service.address).env("TEMPESTAS_HOME", home).env_remove("NO_COLOR");
    command.stdin(Stdio::null());
    command
}

fn said(output: &Output) -> String {
    String::from_utf8_lossy(&output.stdout).into_owned() + String::from_utf8_lossy(&output.stderr).as_ref()
}

#[tokio::test(flavor = "multi_thread")]
async fn what_cant_be_printed_is_a_sentence_and_never_a_panic() {
    let house = House::new(Plan::cloud_only()).await;
    let home = house.path().join("home");
    house.sign_in_at_a_terminal(&home, MARA);
    let commands: [&[&str]; 9] = [
        &["people"],
        &["standing"],
        &["standing", "--json"],
        &["ledger", "list"],
        &["ledger", "list", "--csv"],
        &["ledger", "list", "--lines"],
        &["me"],
        &["terms"],
        &["completions", "bash"],
    ];
    for command in commands {
        let full = std::fs::File::options().write(true).open("/dev/full").unwrap();
        let output = client(&house, &home).args(command).stdout(full).stderr(Stdio::piped()).output().unwrap();
        assert_eq!(output.status.code(), Some(1), "{command:?}: {}", said(&output));
        assert!(said(&output).starts_with("tempestas: not all could be printed: No space left"), "{}", said(&output));
        // Whoever read it is gone before it begins.
        let (reader, writer) = std::io::pipe().unwrap();
        drop(reader);
        let output = client(&house, &home).args(command).stdout(writer).stderr(Stdio::piped()).output().unwrap();
        assert_eq!(output.status.code(), Some(1), "{command:?}: {}", said(&output));
        assert!(said(&output).starts_with("tempestas: not all could be printed: Broken pipe"), "{}", said(&output));
    }
    // With nowhere to say even that, the code still tells.
    let full = || std::fs::File::options().write(true).open("/dev/full").unwrap();
    assert_eq!(client(&house, &home).arg("people").stdout(full()).stderr(full()).status().unwrap().code(), Some(1));
}

#[tokio::test(flavor = "multi_thread")]
async fn a_sign_in_that_couldnt_be_kept_is_refused_before_it_is_made() {
    let house = House::new(Plan::cloud_only()).await;
    let before = house.facts("signed-in").await;
    let person = house.person(TOMAS);
    let file = house.path().join("a-file");
    std::fs::write(&file, "").unwrap();
    // Below a file nothing can be made, whoever one is; on /dev/full's kind of disk neither, which the runs by hand show.
    for home in [file.join("home"), "/proc/tempestas".into()] {
        for words in [&["sign-in", TOMAS, "--password-stdin", "--code", "123456"][..], &["sign-in"]] {
            let output = client(&house, &home).args(words).output().unwrap();
            assert_eq!(output.status.code(), Some(1), "{}", said(&output));
            assert!(said(&output).contains(&*home.to_string_lossy()), "{}", said(&output));
        }
    }
    assert_eq!(house.facts("signed-in").await, before);
    assert_eq!(house.facts("sign-in-failed").await, 0, "nobody was even asked");
    let home = house.path().join("home");
    house.sign_in_at_a_terminal(&home, &person.name);
    assert_eq!(std::fs::read_dir(&home).unwrap().count(), 2, "the sign-in and the checkpoint, nothing else");
}

#[tokio::test(flavor = "multi_thread")]
async fn colours_and_clocks_are_the_readers_choice() {
    let house = House::new(Plan::cloud_only()).await;
    let right = on_cloud("harbour-warden", "/reports");
    house.eligible(TOMAS, &right).await;
    let asked = house.ask(TOMAS, &right, 600).await.unwrap();
    house.live(&asked.id).await;
    let home = house.path().join("home");
    house.sign_in_at_a_terminal(&home, TOMAS);
    let run = |words: &[&str], surroundings: &[(&str, &str)]| {
        said(&client(&house, &home).args(words).envs(surroundings.iter().copied()).output().unwrap())
    };
    let escape = '\u{1b}';
    assert!(!run(&["eligible"], &[]).contains(escape), "into a file nothing is coloured");
    for words in [
        &["eligible", "--color", "always"][..],
        &["grants", "--color", "always"],
        &["show", "--color", "always", "E99999"],
    ] {
        assert!(run(words, &[]).contains(escape), "{words:?}: {:?}", run(words, &[]));
        let mut never = words.to_vec();
        *never.iter_mut().find(|word| **word == "always").unwrap() = "never";
        assert!(!run(&never, &[("CLICOLOR_FORCE", "1")]).contains(escape), "{never:?}");
    }
    assert!(run(&["eligible"], &[("CLICOLOR_FORCE", "1")]).contains(escape));
    assert!(!run(&["eligible"], &[("CLICOLOR_FORCE", "1"), ("NO_COLOR", "1")]).contains(escape));

    let table = run(&["eligible"], &[]);
    let row = table.lines().find(|line| line.contains(&right)).unwrap();
    assert!(row.contains("critical") && row.contains("up to 4 h · fresh proof · reason · no yes needed"), "{table}");
    assert!(run(&["eligible", "--long"], &[]).contains("you need a proof of yourself"));

    // A zone with a quarter of an hour, and as POSIX has it, so that no file of zones is needed.
    let there = [("TZ", "<+0545>-05:45")];
    let until =
        house.client(TOMAS).elevations(&ElevationFilter::default()).await.unwrap()[0].grant.clone().unwrap().until;
    let zone = jiff::tz::TimeZone::posix("<+0545>-05:45").unwrap();
    let local = until.to_zoned(zone).strftime("%F %T +0545").to_string();
    for words in [&["grants"][..], &["show", &asked.id]] {
        let text = run(words, &there);
        assert!(text.contains(&local) && !text.contains("UTC"), "{local}: {text}");
        let mut utc = words.to_vec();
        utc.push("--utc");
        let text = run(&utc, &there);
        assert!(text.contains(&until.strftime("%F %T UTC").to_string()) && !text.contains("+0545"), "{text}");
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn an_approver_a_searcher_and_a_doubter_find_what_they_need_in_the_client() {
    let house = House::new(Plan::whole()).await;
    let right = on_berths("harbour_operator");
    house.eligible(TOMAS, &right).await;
    let rules = house.client(MARA).terms().await.unwrap().terms.len();
    let terms = "scope = \"/harbour/databases/berths\"\n[settings]\n\
        approval = { is = \"stage\", approvers = [\"mara.lindqvist\", \"oda.brandt\"], yes = 2, no = 1, within = 3600 }\n";
    let file = house.path().join("rule.toml");
    std::fs::write(&file, terms).unwrap();
    let home = house.path().join("home");
    house.sign_in_at_a_terminal(&home, MARA);
    let file = file.to_string_lossy().into_owned();
    let (exit, text) = house.tempestas(&home, &["terms", "set", &file, "--preview"], "");
    assert!(exit == 0 && text.contains(TOMAS) && text.contains("approval"), "{text}");
    assert_eq!(house.client(MARA).terms().await.unwrap().terms.len(), rules, "nothing is set");
    let (exit, text) = house.tempestas(&home, &["terms", "set", &file], "");
    assert_eq!(exit, 0, "{text}");
    let asked = house.ask(TOMAS, &right, 600).await.unwrap();
    assert!(asked.sentence.contains("mara.lindqvist or oda.brandt"), "{}", asked.sentence);

    let (exit, text) = house.tempestas(&home, &["waiting", &asked.id], "");
    assert!(exit == 0 && text.contains("with it: ") && text.contains("asked for it before: 0 times"), "{text}");
    let (exit, text) = house.tempestas(&home, &["answer", &asked.id, "yes", "--yes"], "");
    assert!(exit == 0 && text.contains("with it: "), "what is known is shown before: {text}");
    // Of two yes one is there: it waits for the other alone.
    let left = house.client(TOMAS).elevation(&asked.id, &WaitQuery::default()).await.unwrap().elevation.sentence;
    assert!(left.contains(&format!("waits for {ODA} until")), "{left}");

    let (exit, text) = house.tempestas(&home, &["find", "berths"], "");
    assert!(exit == 0 && text.contains("/harbour/databases/berths"), "{text}");
    let (exit, text) = house.tempestas(&home, &["find", "nothing-is-called-so"], "");
    assert!(exit == 0 && text.contains("Nothing that you may see"), "{text}");

    let entry = house.client(MARA).ledger(&LedgerFilter { most: Some(1), ..Default::default() }).await.unwrap().entries;
    let (exit, text) = house.tempestas(&home, &["ledger", "proof", &entry[0].n.to_string()], "");
    assert!(exit == 0 && text.contains(&format!("Entry {} stands so", entry[0].n)), "{text}");
    let (exit, text) = house.tempestas(&home, &["ledger", "proof", "99999999"], "");
    assert!(exit == 3, "{text}");
}

#[tokio::test(flavor = "multi_thread")]
async fn the_manual_has_a_page_for_each_command_and_the_program_its_own_name() {
    let house = House::new(Plan::cloud_only()).await;
    let (home, into) = (house.path().join("home"), house.path().join("man"));
    let (exit, text) = house.tempestas(&home, &["manual", &into.to_string_lossy()], "");
    assert_eq!(exit, 0, "{text}");
    let pages: Vec<String> =
        std::fs::read_dir(&into).unwrap().map(|page| page.unwrap().file_name().into_string().unwrap()).collect();
    for page in ["tempestas.1", "tempestas-ask.1", "tempestas-ledger-verify.1", "tempestas-people-add.1"] {
        assert!(pages.iter().any(|known| known == page), "{page} among {pages:?}");
    }
    let ask = std::fs::read_to_string(into.join("tempestas-ask.1")).unwrap();
    assert!(ask.contains(".TH") && ask.contains("ROLE@/PATH"), "{ask}");
    let (exit, text) = house.tempestas(&home, &["manual", "/proc/man"], "");
    assert!(exit == 1 && text.contains("/proc/man can't be written"), "{text}");
    assert!(house.tempestas(&home, &["-V"], "").1.starts_with("tempestas 0."));
    for shell in ["bash", "zsh", "fish"] {
        assert!(house.tempestas(&home, &["completions", shell], "").1.contains("give-back"));
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn an_address_that_speaks_something_else_is_told_in_words() {
    let house = House::new(Plan::cloud_only()).await;
    let home = house.path().join("home");
    let port = house.service.address.rsplit(':').next().unwrap().to_owned();
    let mut no_tls = client(&house, &home);
    no_tls.env("TEMPESTAS_SERVER", format!("https://127.0.0.1:{port}")).arg("me");
    let text = said(&no_tls.output().unwrap());
    assert!(text.contains("speaks no TLS; does its address begin with http://?"), "{text}");
    let closed = std::net::TcpListener::bind("127.0.0.1:0").unwrap().local_addr().unwrap();
    let mut nobody = client(&house, &home);
    nobody.env("TEMPESTAS_SERVER", format!("http://{closed}")).arg("me");
    let text = said(&nobody.output().unwrap());
    assert!(text.contains("nothing listens there"), "{text}");
    let reply = reqwest::get(format!("{}/api/v1/no/such", house.service.address)).await.unwrap();
    let problem: serde_json::Value = reply.json().await.unwrap();
    assert!(problem["detail"].as_str().unwrap().contains("/api/v1/no/such"), "{problem}");
}

#[tokio::test(flavor = "multi_thread")]
async fn as_json_nothing_else_is_printed_whatever_was_done() {
    let house = House::new(Plan::cloud_only()).await;
    let home = house.path().join("home");
    let person = house.person(MARA);
    let code = tempestas_demo::codes::next_code(house.path(), MARA, &person.totp_secret).unwrap();
    let mut sign_in = client(&house, &home);
    sign_in.args(["sign-in", MARA, "--password-stdin", "--code", &code, "--json"]);
    let mut running = sign_in.stdin(Stdio::piped()).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap();
    std::io::Write::write_all(&mut running.stdin.take().unwrap(), person.password.as_bytes()).unwrap();
    let output = running.wait_with_output().unwrap();
    let signed_in: serde_json::Value = serde_json::from_slice(&output.stdout).unwrap();
    let keys: Vec<&String> = signed_in.as_object().unwrap().keys().collect();
    assert_eq!(keys, ["name", "ends", "facts"], "and no token");

    let file = house.path().join("ledger.jsonl").to_string_lossy().into_owned();
    let commands: [(&[&str], &str); 8] = [
        (&["people", "add", "nils.berg", "--about", "Nils Berg"], "name"),
        (&["people", "suspend", "nils.berg"], ""),
        (&["people", "resume", "nils.berg"], ""),
        (&["targets", "add-folder", "/quay"], ""),
        (&["ledger", "export", &file], "file"),
        (&["ledger", "verify", &file], "genuine"),
        (&["ledger", "checkpoint"], ""),
        (&["sign-out"], ""),
    ];
    for (command, key) in commands {
        let output = client(&house, &home).args(command).arg("--json").output().unwrap();
        assert!(output.status.success(), "{command:?}: {}", said(&output));
        let value: serde_json::Value = serde_json::from_slice(&output.stdout)
            .unwrap_or_else(|error| panic!("{command:?}: {error}: {}", said(&output)));
        assert!(key.is_empty() || !value[key].is_null(), "{command:?}: {value}");
    }
    let output = client(&house, &home).args(["people", "--json"]).output().unwrap();
    assert_eq!((output.status.code(), output.stdout.len()), (Some(4), 0), "a refusal stands beside what is printed");
}
