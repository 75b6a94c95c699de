//! Options of `serve` from a file: `--config /etc/fleet-echo.toml`. A key is an option without its dashes, with `_` for
//! `-`; what the command line says stands above the file. Other commands that take the file read of it what they know.

use clap::Command;
use std::ffi::OsString;
use std::path::Path;
use toml::{Table, Value};

/// The words of a command line with those that a file adds, where one is named by `--config`.
///
/// # Errors
/// The file cannot be read, is not TOML, or has a key or a value that no option takes.
pub fn with_file(words: Vec<OsString>, command: &Command) -> Result<Vec<OsString>, String> {
    let Some(name) = words.get(1).and_then(|w| w.to_str()) else { return Ok(words) };
    let Some(own) = command.find_subcommand(name).filter(|c| c.get_arguments().any(|a| a.get_id() == "config")) else {
        return Ok(words);
    };
    let Some(file) = given(&words, "config") else { return Ok(words) };
    let path = Path::new(&file);
    let told = |says: String| format!("{}: {says}", path.display());
    let text = std::fs::read_to_string(path).map_err(|e| told(e.to_string()))?;
    let table: Table = text.parse().map_err(|e: toml::de::Error| told(e.to_string().trim_end().to_string()))?;
    let longs = |c: &Command| c.get_arguments().filter_map(|a| a.get_long()).map(String::from).collect::<Vec<_>>();
    let (taken, allowed) = (longs(own), command.find_subcommand("serve").map(longs).unwrap_or_default());
    let mut more = Vec::new();
    for (key, value) in &table {
        let long = key.replace('_', "-");
        if !allowed.contains(&long) || long == "config" {
            let keys = allowed.iter().filter(|a| *a != "config").map(|a| a.replace('-', "_"));
            let keys = keys.collect::<Vec<_>>().join(", ");
            return Err(told(format!("“{key}” is no option of the server; allowed: {keys}")));
        }
        if taken.contains(&long) && given(&words, &long).is_none() {
            more.extend(option(&long, value).map_err(|says| told(format!("{key}: {says}")))?);
        }
    }
    let at = 2.min(words.len());
    Ok(words[..at]
        .iter()
        .cloned()
        .chain(more.into_iter().map(OsString::from))
        .chain(words[at..].iter().cloned())
        .collect())
}

/// What an option is given on the command line; empty for one without a value.
fn given(words: &[OsString], long: &str) -> Option<OsString> {
    let flag = format!("--{long}");
    words.iter().enumerate().find_map(|(i, w)| {
        let w = w.to_str()?;
        if w == flag {
            return Some(words.get(i + 1).cloned().unwrap_or_default());
        }
        w.strip_prefix(&flag)?.strip_prefix('=').map(OsString::from)
    })
}

/// A key's value as words of a command line.
fn option(long: &str, value: &Value) -> Result<Vec<String>, String> {
    let flag = format!("--{long}");
    Ok(match value {
        Value::String(text) => vec![format!("{flag}={text}")],
        Value::Integer(n) => vec![format!("{flag}={n}")],
        Value::Boolean(true) => vec![flag],
        Value::Boolean(false) => Vec::new(),
        Value::Array(all) => {
            let each: Result<Vec<Vec<String>>, String> = all.iter().map(|v| option(long, v)).collect();
            each?.concat()
        }
        _ => return Err("allowed: a text in quotes, a whole number, true or false, or a list of texts".into()),
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use clap::{Arg, ArgAction, Args};
    use std::io::Write;

    fn command() -> Command {
        let flag = Arg::new("sign_in").long("sign-in").action(ArgAction::SetTrue);
        let serve =
            Command::new("serve").args(["config", "listen", "name", "jobs"].map(|n| Arg::new(n).long(n))).arg(flag);
        let doctor = Command::new("doctor").args(["config", "listen"].map(|n| Arg::new(n).long(n)));
        Command::new("fleet-echo").subcommand(serve).subcommand(doctor).subcommand(Command::new("soak"))
    }

    fn read(text: &str, words: &[&str]) -> Result<Vec<String>, String> {
        read_for("serve", text, words)
    }

    fn read_for(name: &str, text: &str, words: &[&str]) -> Result<Vec<String>, String> {
        let mut file = tempfile::NamedTempFile::new().unwrap();
        file.write_all(text.as_bytes()).unwrap();
        let path = file.path().to_str().unwrap().to_string();
        let words = ["fleet-echo", name, "--config", &path].iter().chain(words).map(OsString::from).collect();
        let all = with_file(words, &command())?;
        Ok(all
            .into_iter()
            .map(|w| w.into_string().unwrap())
            .filter(|w| *w != path && w != "--config")
            .skip(2)
            .collect())
    }

    #[test]
    fn keys_become_options_and_the_command_line_stands_above_them() {
        let text = "listen = \"0.0.0.0:7400\"\njobs = 3\nsign_in = true\nname = [\"rig\", \"bench.local\"]\n";
        let all = ["--jobs=3", "--listen=0.0.0.0:7400", "--name=bench.local", "--name=rig", "--sign-in"];
        let mut read_all = read(text, &[]).unwrap();
        read_all.sort();
        assert_eq!(read_all, all);
        let mut above = read(text, &["--listen=127.0.0.1:1", "--name", "own"]).unwrap();
        above.sort();
        assert_eq!(above, ["--jobs=3", "--listen=127.0.0.1:1", "--name", "--sign-in", "own"]);
        assert_eq!(read("sign_in = false", &[]).unwrap(), Vec::<String>::new());
        assert_eq!(read_for("doctor", text, &[]).unwrap(), ["--listen=0.0.0.0:7400"]);
    }

    #[test]
    fn what_is_wrong_in_the_file_is_told_with_what_is_allowed() {
        let says = |text: &str| read(text, &[]).unwrap_err();
        assert!(
            says("lisen = \"a\"").contains("“lisen” is no option of the server; allowed: listen, name, jobs, sign_in")
        );
        assert!(says("listen = 1.5").contains("listen: allowed: a text in quotes"));
        assert!(says("listen = ").contains("TOML parse error"));
        let words = ["fleet-echo", "serve", "--config=/nowhere.toml"].map(OsString::from).to_vec();
        assert!(with_file(words, &command()).unwrap_err().contains("/nowhere.toml: No such file"));
    }

    #[test]
    fn other_commands_and_none_are_left_as_they_are() {
        for words in [vec!["fleet-echo"], vec!["fleet-echo", "soak", "--config", "x"], vec!["fleet-echo", "serve"]] {
            let words: Vec<OsString> = words.into_iter().map(OsString::from).collect();
            assert_eq!(with_file(words.clone(), &command()).unwrap(), words);
        }
    }

    /// The file that is installed: with every # before a key taken away it is whole and is taken.
    #[test]
    fn the_installed_file_explains_every_option_of_the_server() {
        let text = include_str!("../../../packaging/fleet-echo.toml");
        let keys: Vec<&str> = text.lines().filter(|l| l.contains(" = ")).filter_map(|l| l.strip_prefix("# ")).collect();
        let (file, serve) = (keys.join("\n"), crate::serve::Serve::augment_args(Command::new("serve")));
        let whole = Command::new("fleet-echo").subcommand(serve.clone());
        let mut path = tempfile::NamedTempFile::new().unwrap();
        path.write_all(file.as_bytes()).unwrap();
        let words = ["fleet-echo".into(), "serve".into(), "--config".into(), path.path().as_os_str().to_owned()];
        let read = with_file(words.to_vec(), &whole).unwrap();
        whole.try_get_matches_from(&read).unwrap();
        for long in serve.get_arguments().filter_map(|a| a.get_long()).filter(|l| *l != "config") {
            let key = format!("{} = ", long.replace('-', "_"));
            assert!(keys.iter().any(|k| k.starts_with(&key)), "{long} is not explained in packaging/fleet-echo.toml");
        }
    }
}
