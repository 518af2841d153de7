//! Descriptions of systems: what can be used, and what each that can't is told.

use tempestas_targets::Form;

const GOOD: &str = r#"
address = "http://127.0.0.1:7"
headers = { authorization = "Bearer {secret}" }
database = "host=127.0.0.1 port=7 user=t dbname=gates"

[roles.keeper]
says = "opens the gates"
weight = "privileged"
within = 5

[survey]
call = { get = "/holders" }
account = "/account"
role = "/role"
handle = "/id"

[give]
put = "/holders/{name}"
body = { role = "{role}", until = "{until}", mark = "{mark}" }

[take]
delete = "/holders/{name}"
fine = [404]

[holds]
call = { get = "/holders/{name}" }
absent = [404]
there = { "/role" = "{role}" }

[take_standing]
sql = "DELETE FROM holders WHERE id = $1"
with = ["{handle}"]

[restore_standing]
run = ["/usr/local/bin/gatectl", "give", "{account}"]
"#;

#[test]
fn a_whole_description_is_read() {
    Form::read(GOOD).unwrap().ensure_local().unwrap();
}

#[test]
fn what_would_only_fail_later_is_said_at_once_with_where_and_what_to_do() {
    for (was, is, says) in [
        ("[roles.keeper]\nsays = \"opens the gates\"\nweight = \"privileged\"\nwithin = 5", "[roles]", "names no role"),
        ("weight = \"privileged\"", "weight = \"heavy\"", "unknown variant `heavy`"),
        ("handle = \"/id\"", "", "missing field `handle`"),
        ("absent = [404]", "missing = [404]", "unknown field `missing`"),
        ("put = \"/holders/{name}\"", "put = \"/holders/{name}\"\nget = \"/x\"", "`[give]` wants exactly one of"),
        ("delete = \"/holders/{name}\"", "", "`[take]` wants exactly one of"),
        ("address = \"http://127.0.0.1:7\"", "", "there is no `address`"),
        ("address = \"http://127.0.0.1:7\"", "address = \"the gates\"", "`address` is none of the form"),
        ("database = \"host=127.0.0.1 port=7 user=t dbname=gates\"", "", "there is no `database`"),
        ("host=127.0.0.1 port=7", "host=127.0.0.1 port=many", "`database` is none of the form"),
        ("put = \"/holders/{name}\"", "put = \"/holders?name={name}\"", "has no `?` or `#`"),
        ("put = \"/holders/{name}\"", "put = \"holders/{name}\"", "wants a path that begins with `/`"),
        ("WHERE id = $1", "WHERE id = '{handle}'", "has a brace in its SQL"),
        ("/usr/local/bin/gatectl", "gatectl", "wants the whole path of the program"),
        ("until = \"{until}\"", "until = \"{end}\"", "`{end}` is filled in by nothing"),
        ("until = \"{until}\"", "until = [{ at = \"{end}\" }]", "`{end}` is filled in by nothing"),
        ("with = [\"{handle}\"]", "with = [\"{secret}\"]", "`{secret}` belongs into a header"),
        ("Bearer {secret}", "Bearer {password}", "the header `authorization`: `{password}`"),
    ] {
        assert!(GOOD.contains(was), "{was}");
        let refused = Form::read(&GOOD.replacen(was, is, 1)).unwrap_err().to_string();
        assert!(refused.contains(says), "{is:?}: {refused}");
    }
    let long = format!("{GOOD}\n# {}", "x".repeat(20_000));
    assert!(Form::read(&long).unwrap_err().to_string().contains("longer than"));
}

#[test]
fn what_is_called_without_tls_is_this_machine_alone() {
    for (was, is) in [
        ("http://127.0.0.1:7", "http://192.0.2.7:7"),
        ("http://127.0.0.1:7", "http://gates.quillhaven.example"),
        ("host=127.0.0.1", "host=192.0.2.7"),
        ("host=127.0.0.1", "host=127.0.0.1,192.0.2.7"),
        ("host=127.0.0.1", "host=127.0.0.1 hostaddr=192.0.2.7"),
    ] {
        let form = Form::read(&GOOD.replacen(was, is, 1)).unwrap();
        form.ensure_local().unwrap_err();
    }
    Form::read(&GOOD.replacen("http://127.0.0.1:7", "https://gates.quillhaven.example", 1))
        .unwrap()
        .ensure_local()
        .unwrap();
}
