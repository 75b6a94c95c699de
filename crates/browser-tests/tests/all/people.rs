//! People who sign in: what each role may do, wrong passwords, tokens, and two at work at once.

use anyhow::{Context, Result};
use echo_browser_tests::browser::Browser;
use echo_browser_tests::{Program, Rigged, program, says};
use serde_json::{Value, json};
use std::io::Write;
use std::process::{Command, Stdio};

/// Adds somebody from the console.
fn added(r: &Rigged, name: &str, role: &str) -> Result<()> {
    let mut child = Command::new(program("fleet-echo"))
        .args(["people", "add", name, "--role", role])
        .env("DATABASE_URL", &r.database.url)
        .stdin(Stdio::piped())
        .spawn()?;
    child.stdin.take().context("its input")?.write_all(secret(name).as_bytes())?;
    anyhow::ensure!(child.wait()?.success(), "{name} is not added");
    Ok(())
}

fn secret(name: &str) -> String {
    format!("the ramp of {name}")
}

/// Signs in; gives the session's cookie.
async fn signed_in(r: &Rigged, name: &str) -> Result<String> {
    let body = json!({ "name": name, "password": secret(name) });
    let (status, answer, cookie) = r.call_as("", "POST", "/api/sign-in", Some(body)).await?;
    anyhow::ensure!(status == 200, "{answer}");
    cookie.context("a cookie")
}

const PEOPLE: [(&str, &str); 4] = [("Wim", "watch"), ("Tam", "work"), ("Ines", "measure"), ("Oda", "own")];

/// A server at which people sign in, with somebody of each role; no front end is connected to it.
async fn locked() -> Result<(Rigged, Vec<String>)> {
    let mut r = Rigged::start().await?;
    r.server.kill();
    r.lantern.kill();
    for (name, role) in PEOPLE {
        added(&r, name, role)?;
    }
    r.serve_with(&["--sign-in"])?;
    let mut cookies = Vec::new();
    for (name, _) in PEOPLE {
        cookies.push(signed_in(&r, name).await?);
    }
    Ok((r, cookies))
}

#[tokio::test]
async fn every_route_asks_for_its_role() -> Result<()> {
    let (r, cookies) = locked().await?;
    let (_, description, _) = r.call_as(&cookies[0], "GET", "/api/openapi.json", None).await?;
    let mut asked = 0;
    for (path, methods) in description["paths"].as_object().context("paths")? {
        for method in methods.as_object().context("methods")?.keys().map(|m| m.to_uppercase()) {
            let below = path.strip_prefix("/api").context("below /api")?;
            let needed = match echo_server::roles::needs(&method.parse()?, below) {
                echo_server::roles::Needs::Nothing => continue,
                echo_server::roles::Needs::Role(role) => role as usize,
            };
            let at = filled(path);
            let body = (method != "GET").then(|| json!({ "nothing of this": "fits" }));
            let (status, answer, _) = r.call_as("", &method, &at, body.clone()).await?;
            assert_eq!(status, 401, "{method} {path} as nobody: {answer}");
            for (rank, cookie) in cookies.iter().enumerate() {
                // What the owner alone may do would take the ground from under the others.
                if rank == 3 && below == "/shelf/remove-demo" {
                    continue;
                }
                let (status, answer, _) = r.call_as(cookie, &method, &at, body.clone()).await?;
                let (name, role) = PEOPLE[rank];
                assert_eq!(status == 403, rank < needed, "{method} {path} as {name}, {role}: {status} {answer}");
                assert_ne!(status, 401, "{method} {path} as {name}");
                asked += 1;
            }
        }
    }
    assert!(asked > 400, "{asked}");
    // The live link, the page.
    let (status, _, _) = r.call_as("", "GET", "/api/live", None).await?;
    assert_eq!(status, 401);
    let (status, _, _) = r.call_as("", "GET", "/", None).await?;
    assert_eq!(status, 200, "the page itself is for everybody: it asks to sign in");
    Ok(())
}

/// A path with keys of nothing that is there in place of its parts.
fn filled(path: &str) -> String {
    let part = |p: &str| match p {
        "{name}" | "{watch}" => "nothing".to_string(),
        p if p.starts_with('{') => "999999".to_string(),
        p => p.to_string(),
    };
    path.split('/').map(part).collect::<Vec<_>>().join("/")
}

#[tokio::test]
async fn wrong_passwords_are_slowed_and_changes_keep_who_made_them() -> Result<()> {
    let (mut r, cookies) = locked().await?;
    let try_in = async |name: &str, password: &str| {
        r.call_as("", "POST", "/api/sign-in", Some(json!({ "name": name, "password": password }))).await
    };
    // Somebody who is not there is told the same, and slowed the same.
    for name in ["Tam", "Nobody"] {
        for _ in 0..3 {
            let (status, answer, cookie) = try_in(name, "guessed it").await?;
            assert!(status == 422 && says(&answer) == "name or password is wrong" && cookie.is_none(), "{answer}");
        }
        let (_, answer, _) = try_in(name, "guessed it").await?;
        assert!(says(&answer).starts_with(&format!("3 wrong passwords for {name}; the next try is in")), "{answer}");
    }
    // The header alone makes nobody somebody else.
    let (wim, tam, oda) = (&cookies[0], &cookies[1], &cookies[3]);
    let (status, answer, _) = r.call_as(wim, "PUT", "/api/campaigns/1/math", Some(json!([]))).await?;
    assert!(status == 403 && says(&answer).contains("needs the role “work”, and Wim has the role “watch”"), "{answer}");
    let run = r.call_as(tam, "GET", "/api/campaigns/1/runs", None).await?.1[0]["id"].clone();
    let described = json!({ "kind": "first check", "remark": "cable moved", "tags": [] });
    let (status, answer, _) = r.call_as(tam, "PUT", &format!("/api/runs/{run}/description"), Some(described)).await?;
    assert_eq!(status, 204, "{answer}");
    let changes = r.call_as(wim, "GET", "/api/campaigns/1/changes", None).await?.1;
    assert_eq!((&changes[0]["who"], &changes[0]["what"]), (&json!("Tam"), &json!("run described")));

    // A program's token has a role and an end.
    let new = json!({ "name": "nightly", "role": "watch", "days": 1 });
    let (_, made, _) = r.call_as(oda, "POST", "/api/tokens", Some(new)).await?;
    let bearer = format!("Bearer {}", made["token"].as_str().context("a token")?);
    assert_eq!(r.call_as(&bearer, "GET", "/api/shelf", None).await?.0, 200);
    assert_eq!(r.call_as(&bearer, "PUT", "/api/campaigns/1/math", Some(json!([]))).await?.0, 403);
    let out = Command::new(program("fleet-echo"))
        .args(["campaigns", "--server", &r.url, "--token", made["token"].as_str().unwrap_or("")])
        .output()?;
    assert!(String::from_utf8_lossy(&out.stdout).contains("Merrow: port thruster gearbox"), "{out:?}");
    assert_eq!(r.call_as(oda, "DELETE", &format!("/api/tokens/{}", made["id"]), None).await?.0, 204);
    assert_eq!(r.call_as(&bearer, "GET", "/api/shelf", None).await?.0, 401, "it has ended");

    // Somebody must own; who is let go is out at once; a session outlives the server.
    let people = r.call_as(oda, "GET", "/api/people", None).await?.1;
    let key = |name: &str| people.as_array().into_iter().flatten().find(|p| p["name"] == name).map(|p| p["id"].clone());
    let (oda_key, wim_key) = (key("Oda").context("Oda")?, key("Wim").context("Wim")?);
    let (status, answer, _) = r.call_as(oda, "DELETE", &format!("/api/people/{oda_key}"), None).await?;
    assert!(status == 422 && says(&answer).contains("somebody must own"), "{answer}");
    assert_eq!(r.call_as(oda, "DELETE", &format!("/api/people/{wim_key}"), None).await?.0, 204);
    assert_eq!(r.call_as(wim, "GET", "/api/shelf", None).await?.0, 401);
    for (new, word) in [
        (json!({ "name": "tam", "role": "work", "password": "12345678" }), "somebody called tam already"),
        (json!({ "name": "Una", "role": "work", "password": "short" }), "8 to 200 characters"),
        (json!({ "name": " ", "role": "work", "password": "12345678" }), "1 to 60 characters"),
    ] {
        let (status, answer, _) = r.call_as(oda, "POST", "/api/people", Some(new)).await?;
        assert!(status == 422 && says(&answer).contains(word), "{word}: {answer}");
    }
    r.server.kill();
    r.serve_with(&["--sign-in"])?;
    assert_eq!(r.call_as(tam, "GET", "/api/me", None).await?.1["name"], "Tam");
    // The database away: who is known stays known, and may stop what is recorded.
    assert_eq!(r.call_as(&cookies[2], "GET", "/api/shelf", None).await?.0, 200);
    r.database.stop()?;
    let (status, answer, _) = r.call_as(&cookies[2], "POST", "/api/capture/stop", None).await?;
    assert!(status == 409 && says(&answer).contains("nothing is armed"), "{answer}");
    Ok(())
}

async fn sign_in_on_page(b: &Browser, url: &str, name: &str) -> Result<()> {
    b.page.goto(url).await?;
    b.type_over("input[autocomplete=username]", name).await?;
    b.type_over("input[type=password]", "not the password").await?;
    b.press("Sign in").await?;
    b.text_until("form [role=alert]", |t| t.contains("name or password is wrong")).await?;
    b.type_over("input[type=password]", &secret(name)).await?;
    b.press("Sign in").await
}

#[tokio::test]
async fn two_work_at_once_and_one_may_only_watch() -> Result<()> {
    let mut r = Rigged::start().await?;
    r.server.kill();
    for (name, role) in PEOPLE {
        added(&r, name, role)?;
    }
    r.serve_with(&["--sign-in"])?;
    let (ines, wim) = (Browser::open().await?, Browser::open().await?);
    sign_in_on_page(&ines, &format!("{}/c/1/run", r.url), "Ines").await?;
    ines.text_until("header", |t| t.contains("Record")).await?;
    sign_in_on_page(&wim, &format!("{}/c/2/rig", r.url), "Wim").await?;
    let bar = wim.text_until("header", |t| t.contains("Wim") && t.contains("deck survey")).await?;
    assert!(!bar.contains("Record"), "who watches has no order to give: {bar}");
    // Each sees the other; what is recorded says by whom.
    ines.press_path("//header//button[contains(@aria-label, 'Ines, and 1')]").await?;
    ines.text_until("ul[aria-label='Who else is here']", |t| t.contains("Wim at Skerry Lass: deck survey")).await?;
    ines.keys("\u{e00c}").await?;
    ines.keys("r").await?;
    wim.text_until("header", |t| t.contains("by Ines")).await?;
    wim.keys("S").await?;
    ines.text_until("header", |t| t.contains("stopped by hand")).await?;
    let cookie = signed_in(&r, "Oda").await?;
    let runs = r.call_as(&cookie, "GET", "/api/campaigns/1/runs", None).await?.1;
    assert_eq!(runs[1]["who"], "Ines", "{runs}");
    // The owner adds somebody on the page, and sees who changed what.
    let oda = Browser::open().await?;
    sign_in_on_page(&oda, &format!("{}/people", r.url), "Oda").await?;
    oda.type_over("input[aria-label='Name of somebody new']", "Una").await?;
    oda.type_over("input[aria-label='First password']", "short").await?;
    oda.press("Add").await?;
    oda.text_until("section[aria-label=People] [role=alert]", |t| t.contains("8 to 200 characters")).await?;
    oda.type_over("input[aria-label='First password']", &secret("Una")).await?;
    oda.press("Add").await?;
    oda.text_until("table[aria-label=People]", |t| t.contains("Una")).await?;
    assert!(signed_in(&r, "Una").await?.contains("fleet-echo="));
    for b in [ines, wim, oda] {
        b.page.clone().close().await?;
    }
    Ok(())
}

#[tokio::test]
async fn where_others_can_reach_it_the_first_start_makes_an_owner() -> Result<()> {
    let r = Rigged::start().await?;
    let mut command = Command::new(program("fleet-echo"));
    // A second server would need a second database: this one ends first.
    let mut r = r;
    r.server.kill();
    command
        .args(["serve", "--listen", "0.0.0.0:0"])
        .env("DATABASE_URL", &r.database.url)
        .stdout(Stdio::piped())
        .stderr(Stdio::piped());
    let mut child = command.spawn()?;
    let mut told = std::io::BufReader::new(child.stderr.take().context("its words")?);
    let mut url = String::new();
    std::io::BufRead::read_line(&mut std::io::BufReader::new(child.stdout.take().context("its address")?), &mut url)?;
    let _server = Program(child);
    let mut words = String::new();
    while !words.contains("first-owner#") {
        anyhow::ensure!(std::io::BufRead::read_line(&mut told, &mut words)? > 0, "{words}");
    }
    assert!(words.contains("let a proxy speak TLS before it"), "{words}");
    let word: String =
        words.split("first-owner#").nth(1).context("a word")?.chars().take_while(char::is_ascii_hexdigit).collect();
    r.url = url.trim().replace("0.0.0.0", "127.0.0.1");
    assert_eq!(r.call_as("", "GET", "/api/shelf", None).await?.0, 401);
    assert_eq!(r.call_as("", "GET", "/api/me", None).await?.1["first"], true);
    let owner = |word: &str| json!({ "word": word, "name": "Oda", "password": secret("Oda") });
    let (status, answer, _) = r.call_as("", "POST", "/api/first-owner", Some(owner("guess"))).await?;
    assert!(status == 422 && says(&answer).contains("not the word"), "{answer}");
    let (status, answer, cookie) = r.call_as("", "POST", "/api/first-owner", Some(owner(&word))).await?;
    assert_eq!((status, &answer["role"]), (200, &json!("own")), "{answer}");
    assert_eq!(r.call_as(&cookie.context("a cookie")?, "GET", "/api/shelf", None).await?.0, 200);
    let (status, answer, _) = r.call_as("", "POST", "/api/first-owner", Some(owner(&word))).await?;
    assert!(status == 409 && says(&answer).contains("an owner already"), "{answer}");
    let me: Value = r.call_as("", "GET", "/api/me", None).await?.1;
    assert_eq!((&me["first"], &me["locked"], &me["name"]), (&json!(false), &json!(true), &Value::Null));
    Ok(())
}
