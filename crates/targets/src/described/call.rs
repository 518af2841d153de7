//! One call to a described system: by HTTP, by a program, by SQL. Nothing that is filled in can become more than a
//! path's segment, a text of JSON, one argument, one bound value.

use std::{process::Stdio, time::Duration};

use regex_lite::Regex;
use reqwest::{Method, Url};
use secrecy::{ExposeSecret as _, SecretString};
use serde::Deserialize;
use serde_json::Value;
use tokio::io::AsyncReadExt as _;
use tokio_postgres::{NoTls, types::ToSql};

use super::form::{Form, Step, Values, filled, filled_value};
use crate::{TargetError, http, postgres};

/// Most rows that a reply may have.
const ROWS_MOST: usize = 100_000;

/// What came back: a status or exit code that was no failure, and what it said.
pub(super) struct Said {
    pub(super) code: i32,
    pub(super) value: Value,
}

/// How a described system is called.
pub(super) struct Caller {
    pub(super) http: reqwest::Client,
    pub(super) secret: SecretString,
    /// Programs that the machine's administrator lets be run.
    pub(super) programs: Vec<Program>,
}

/// A program that descriptions may run on the service's machine, as the service's user, who can read all that it keeps.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Program {
    /// Its whole path.
    pub path: String,
    /// A regular expression for the whole of each argument, in order; named several times, a program takes several forms.
    #[serde(default)]
    pub arguments: Vec<String>,
}

impl Program {
    /// Whether it may be run so.
    fn takes(&self, path: &str, arguments: &[String]) -> bool {
        let fits = |(pattern, argument): (&String, &String)| {
            Regex::new(&format!("^(?:{pattern})$")).is_ok_and(|pattern| pattern.is_match(argument))
        };
        self.path == path && self.arguments.len() == arguments.len() && self.arguments.iter().zip(arguments).all(fits)
    }
}

fn refused(says: impl Into<String>) -> TargetError {
    TargetError::Refused(says.into())
}

impl Caller {
    /// Makes a call. Codes in `also` are no failure either.
    pub(super) async fn make(
        &self,
        form: &Form,
        step: &Step,
        values: &Values<'_>,
        also: &[i32],
    ) -> Result<Said, TargetError> {
        let fine = |code: i32| step.fine.contains(&code) || also.contains(&code);
        let ways = [
            (Method::GET, &step.get),
            (Method::PUT, &step.put),
            (Method::POST, &step.post),
            (Method::DELETE, &step.delete),
        ];
        let by_http = ways.into_iter().find_map(|(method, path)| Some((method, path.as_ref()?)));
        match (by_http, &step.run, &step.sql) {
            (Some((method, path)), ..) => {
                let url = url_of(form.address.as_deref().unwrap_or_default(), path, values)?;
                self.by_http(form, step, method, url, values, fine).await
            }
            (None, Some(run), _) => self.by_program(run, values, fine).await,
            (None, None, Some(sql)) => self.by_sql(form, sql, &step.with, values).await,
            (None, None, None) => Err(refused("its description says no call")),
        }
    }

    async fn by_http(
        &self,
        form: &Form,
        step: &Step,
        method: Method,
        url: Url,
        values: &Values<'_>,
        fine: impl Fn(i32) -> bool,
    ) -> Result<Said, TargetError> {
        let mut request = self.http.request(method, url);
        for (name, value) in &form.headers {
            // Marked, so that no log of the library's shows it.
            let mut value = filled(value, &[("secret", self.secret.expose_secret())])
                .parse::<reqwest::header::HeaderValue>()
                .map_err(|_| refused("a header of its description can't be sent"))?;
            value.set_sensitive(true);
            request = request.header(name, value);
        }
        if let Some(body) = &step.body {
            request = request.json(&filled_value(body, values));
        }
        let broken = |error: &reqwest::Error| {
            if error.is_timeout() {
                TargetError::Slow
            } else {
                TargetError::Unreachable("no connection, or it broke off".to_owned())
            }
        };
        let reply = request.send().await.map_err(|error| broken(&error))?;
        let code = i32::from(reply.status().as_u16());
        if reply.status().as_u16() == 429 {
            return Err(TargetError::Limited);
        }
        if !reply.status().is_success() && !fine(code) {
            return Err(refused(format!("status {code}")));
        }
        let text = http::bytes(reply).await?;
        Ok(Said { code, value: read(&text)? })
    }

    async fn by_program(
        &self,
        run: &[String],
        values: &Values<'_>,
        fine: impl Fn(i32) -> bool,
    ) -> Result<Said, TargetError> {
        let Some((program, arguments)) = run.split_first() else {
            return Err(refused("its description names no program"));
        };
        let mut filled_in = Vec::with_capacity(arguments.len());
        for argument in arguments {
            let whole = filled(argument, values);
            // Else a name could become an option.
            if argument.starts_with('{') && whole.starts_with('-') {
                return Err(refused("a value begins with `-`"));
            }
            filled_in.push(whole);
        }
        // Which programs there are on this machine is no asker's business.
        if !self.programs.iter().any(|allowed| allowed.takes(program, &filled_in)) {
            return Err(refused(
                "a program of its description, with these arguments, is not among `described.programs` of the service's configuration",
            ));
        }
        let mut child = tokio::process::Command::new(program)
            .args(&filled_in)
            .env_clear()
            .env("PATH", "/usr/bin:/bin")
            .env("TEMPESTAS_SECRET", self.secret.expose_secret())
            .current_dir("/")
            .stdin(Stdio::null())
            .stdout(Stdio::piped())
            .stderr(Stdio::null())
            .kill_on_drop(true)
            .spawn()
            .map_err(|error| refused(format!("a program of its description can't be run: {}", error.kind())))?;
        let mut text = Vec::new();
        if let Some(output) = child.stdout.take() {
            let read = output.take(http::REPLY_MOST + 1).read_to_end(&mut text).await;
            read.map_err(|_| TargetError::Unreachable("the program broke off".to_owned()))?;
        }
        if text.len() as u64 > http::REPLY_MOST {
            return Err(refused("its reply has no end"));
        }
        let status = child.wait().await.map_err(|_| TargetError::Unreachable("the program broke off".to_owned()))?;
        let code = status.code().unwrap_or(-1);
        if code != 0 && !fine(code) {
            return Err(refused(format!("exit code {code}")));
        }
        Ok(Said { code, value: read(&text)? })
    }

    /// Rows as a list of objects.
    async fn by_sql(&self, form: &Form, sql: &str, with: &[String], values: &Values<'_>) -> Result<Said, TargetError> {
        let mut config: tokio_postgres::Config = form
            .database
            .as_deref()
            .unwrap_or_default()
            .parse()
            .map_err(|_| refused("the `database` of its description can't be read"))?;
        let options = postgres::options(config.get_options().unwrap_or_default());
        config.password(self.secret.expose_secret()).connect_timeout(Duration::from_secs(3)).options(options);
        let failed = |error: &tokio_postgres::Error| match error.code() {
            Some(code) => refused(format!("SQLSTATE {}", code.code())),
            None => TargetError::Unreachable("no connection, or it broke off".to_owned()),
        };
        let (client, connection) = config.connect(NoTls).await.map_err(|error| failed(&error))?;
        tokio::spawn(connection);
        let bound: Vec<String> = with.iter().map(|value| filled(value, values)).collect();
        let bound: Vec<&(dyn ToSql + Sync)> = bound.iter().map(|value| value as &(dyn ToSql + Sync)).collect();
        let reads = sql.trim_start().get(..6).is_some_and(|start| start.eq_ignore_ascii_case("select"));
        if !reads {
            client.execute(sql, &bound).await.map_err(|error| failed(&error))?;
            return Ok(Said { code: 0, value: Value::Null });
        }
        let wrapped = format!(
            "SELECT to_jsonb(found)::text FROM ({}) AS found LIMIT {}",
            sql.trim_end().trim_end_matches(';'),
            ROWS_MOST + 1
        );
        let rows = client.query(&wrapped, &bound).await.map_err(|error| failed(&error))?;
        if rows.len() > ROWS_MOST {
            return Err(refused("its reply has no end"));
        }
        let rows = rows.iter().map(|row| read(row.get::<_, String>(0).as_bytes()));
        Ok(Said { code: 0, value: Value::Array(rows.collect::<Result<_, _>>()?) })
    }
}

/// An address with a path whose segments are filled in one by one, so that none can become two.
pub(crate) fn url_of(address: &str, path: &str, values: &Values<'_>) -> Result<Url, TargetError> {
    let mut url: Url = address.parse().map_err(|_| refused("the `address` of its description can't be read"))?;
    {
        let mut segments =
            url.path_segments_mut().map_err(|()| refused("the `address` of its description can't be called"))?;
        segments.pop_if_empty();
        for segment in path.split('/').skip(1) {
            let whole = filled(segment, values);
            if whole.is_empty() || whole == "." || whole == ".." {
                return Err(refused("a value makes no part of an address"));
            }
            segments.push(&whole);
        }
    }
    Ok(url)
}

/// JSON, or nothing at all.
fn read(text: &[u8]) -> Result<Value, TargetError> {
    if text.iter().all(u8::is_ascii_whitespace) {
        return Ok(Value::Null);
    }
    serde_json::from_slice(text).map_err(|_| refused("what it answered is no JSON"))
}
