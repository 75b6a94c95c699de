//! `fleet-echo people`: who may work here, from the console of the machine that has the database.

use crate::Failure;
use clap::{Args, Subcommand};
use echo_application::Desk;
use echo_application::people::{self, NewPerson, NewToken, PersonChange};
use echo_application::runs::budget::Budget;
use echo_job::role::Role;
use echo_store::Store;
use std::io::{BufRead, IsTerminal};

/// Arguments of `people`.
#[derive(Args)]
#[command(
    after_help = "Examples:\n  fleet-echo people add Ines --role own        (asks for a password)\n  echo \"$SECRET\" | fleet-echo people add Tam --role measure\n  fleet-echo people token nightly --role watch --days 90\nExit status: 0 done, 2 refused, 1 anything else."
)]
pub struct People {
    /// PostgreSQL of the server.
    #[arg(long, env = "DATABASE_URL", hide_env_values = true)]
    database_url: String,
    #[command(subcommand)]
    order: Order,
}

#[derive(Subcommand)]
enum Order {
    /// List everybody.
    List,
    /// Add somebody; the password is read from the standard input.
    Add {
        /// The name.
        name: String,
        /// watch, work, measure or own.
        #[arg(long)]
        role: Role,
    },
    /// Give somebody another password, read from the standard input, or another role.
    Change {
        /// The name.
        name: String,
        /// Another role; the password stays then.
        #[arg(long)]
        role: Option<Role>,
    },
    /// Let somebody go.
    Remove {
        /// The name.
        name: String,
    },
    /// Make a token for a program, and print it.
    Token {
        /// What it is for.
        name: String,
        /// watch, work, measure or own.
        #[arg(long)]
        role: Role,
        /// Days until it ends.
        #[arg(long, default_value_t = 90)]
        days: i64,
    },
}

/// A line of the standard input.
fn password() -> Result<String, Failure> {
    if std::io::stdin().is_terminal() {
        eprint!("Password (it is shown while you type): ");
    }
    let mut line = String::new();
    std::io::stdin().lock().read_line(&mut line)?;
    Ok(line.trim_end_matches(['\r', '\n']).to_string())
}

/// What is not allowed is the caller's to put right.
fn told(e: echo_application::Error) -> Failure {
    match e {
        echo_application::Error::Refused(r) => Failure::Refused(r.says),
        other => Failure::Other(anyhow::Error::msg(other.says())),
    }
}

impl People {
    /// Carries the order out.
    pub async fn run(&self) -> Result<(), Failure> {
        let store = Store::lazy(&self.database_url)?;
        store.migrate().await?;
        let desk = Desk::new(store, Budget::new(512).map_err(anyhow::Error::msg)?);
        let key = async |name: &str| -> Result<i64, Failure> {
            let all = people::list(&desk).await.map_err(told)?;
            let found = all.iter().find(|p| p.name.to_lowercase() == name.to_lowercase()).map(|p| p.id);
            found.ok_or_else(|| Failure::Refused(format!("there is nobody called “{name}”")))
        };
        match &self.order {
            Order::List => {
                for p in people::list(&desk).await.map_err(told)? {
                    println!("{:8} {}", p.role, p.name);
                }
            }
            Order::Add { name, role } => {
                let new = NewPerson { name: name.clone(), role: *role, password: password()? };
                people::add(&desk, new, "console").await.map_err(told)?;
            }
            Order::Change { name, role } => {
                let password = if role.is_none() { Some(password()?) } else { None };
                let change = PersonChange { role: *role, password };
                people::change(&desk, key(name).await?, change, "console").await.map_err(told)?;
            }
            Order::Remove { name } => people::remove(&desk, key(name).await?, "console").await.map_err(told)?,
            Order::Token { name, role, days } => {
                let new = NewToken { name: name.clone(), role: *role, days: *days };
                println!("{}", people::make_token(&desk, new, "console").await.map_err(told)?.token);
            }
        }
        Ok(())
    }
}
