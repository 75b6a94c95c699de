//! People, their sessions, tokens of programs, and wrong passwords.

use crate::{Result, Store, StoreError};
use chrono::{DateTime, Utc};
use echo_job::role::Role;
use serde_json::Value;

/// Somebody who may work here.
#[derive(Debug, Clone, PartialEq)]
pub struct Person {
    /// Key.
    pub id: i64,
    /// The name.
    pub name: String,
    /// What they may do.
    pub role: Role,
    /// The hash of the password.
    pub secret: String,
    /// Since when.
    pub made_at: DateTime<Utc>,
}

/// A token of a program.
#[derive(Debug, Clone, PartialEq)]
pub struct Token {
    /// Key.
    pub id: i64,
    /// What it is for.
    pub name: String,
    /// What it may do.
    pub role: Role,
    /// Who made it.
    pub made_by: String,
    /// When it ends.
    pub expires_at: DateTime<Utc>,
    /// When it was used last.
    pub used_at: Option<DateTime<Utc>>,
}

fn role(word: &str) -> Result<Role> {
    word.parse().map_err(|_| StoreError::Unreadable(format!("a role “{word}”")))
}

impl Store {
    /// Everybody who may work here, by name.
    ///
    /// # Errors
    /// The database is away.
    pub async fn people(&self) -> Result<Vec<Person>> {
        let rows = sqlx::query!(
            "SELECT id, name, role, secret, made_at FROM person WHERE gone_at IS NULL ORDER BY lower(name)"
        )
        .fetch_all(self.pool())
        .await?;
        let person = |r: String| role(&r);
        rows.into_iter()
            .map(|r| Ok(Person { id: r.id, name: r.name, role: person(r.role)?, secret: r.secret, made_at: r.made_at }))
            .collect()
    }

    /// Adds somebody; gives the key.
    ///
    /// # Errors
    /// The name is used, or the database is away.
    pub async fn add_person(&self, name: &str, role: Role, secret: &str, by: &str) -> Result<i64> {
        let id = sqlx::query_scalar!(
            "INSERT INTO person (name, role, secret, made_by) VALUES ($1, $2, $3, $4) RETURNING id",
            name,
            role.word(),
            secret,
            by
        );
        Ok(id.fetch_one(self.pool()).await?)
    }

    /// Gives somebody another role or password, or both.
    ///
    /// # Errors
    /// There is none of that key, or the database is away.
    pub async fn change_person(&self, id: i64, role: Option<Role>, secret: Option<&str>) -> Result<()> {
        let done = sqlx::query!(
            "UPDATE person SET role = coalesce($2, role), secret = coalesce($3, secret) WHERE id = $1 AND gone_at IS NULL",
            id,
            role.map(Role::word),
            secret
        );
        if done.execute(self.pool()).await?.rows_affected() == 0 {
            return Err(StoreError::Missing(format!("person {id}")));
        }
        Ok(())
    }

    /// Lets somebody go; sessions end with that.
    ///
    /// # Errors
    /// There is none of that key, or the database is away.
    pub async fn remove_person(&self, id: i64) -> Result<()> {
        let done = sqlx::query!("UPDATE person SET gone_at = now() WHERE id = $1 AND gone_at IS NULL", id);
        if done.execute(self.pool()).await?.rows_affected() == 0 {
            return Err(StoreError::Missing(format!("person {id}")));
        }
        Ok(())
    }

    /// How often a wrong password was typed for a name, and when last.
    ///
    /// # Errors
    /// The database is away.
    pub async fn wrong_passwords(&self, name: &str) -> Result<Option<(i32, DateTime<Utc>)>> {
        let row = sqlx::query!("SELECT times, last_at FROM wrong_password WHERE name = lower($1)", name);
        Ok(row.fetch_optional(self.pool()).await?.map(|r| (r.times, r.last_at)))
    }

    /// Counts a wrong password for a name; those of a day ago count no more.
    ///
    /// # Errors
    /// The database is away.
    pub async fn count_wrong_password(&self, name: &str) -> Result<()> {
        sqlx::query!(
            "INSERT INTO wrong_password AS w (name, times) VALUES (lower($1), 1) ON CONFLICT (name) DO UPDATE
             SET times = CASE WHEN w.last_at < now() - interval '1 day' THEN 1 ELSE w.times + 1 END, last_at = now()",
            name
        )
        .execute(self.pool())
        .await?;
        Ok(())
    }

    /// Forgets the wrong passwords of a name.
    ///
    /// # Errors
    /// The database is away.
    pub async fn forget_wrong_passwords(&self, name: &str) -> Result<()> {
        sqlx::query!("DELETE FROM wrong_password WHERE name = lower($1)", name).execute(self.pool()).await?;
        Ok(())
    }

    /// Tokens that have not ended, by name.
    ///
    /// # Errors
    /// The database is away.
    pub async fn tokens(&self) -> Result<Vec<Token>> {
        let rows = sqlx::query!(
            "SELECT id, name, role, made_by, expires_at, used_at FROM token WHERE expires_at > now() ORDER BY lower(name), id"
        )
        .fetch_all(self.pool())
        .await?;
        rows.into_iter()
            .map(|r| {
                let role = role(&r.role)?;
                Ok(Token {
                    id: r.id,
                    name: r.name,
                    role,
                    made_by: r.made_by,
                    expires_at: r.expires_at,
                    used_at: r.used_at,
                })
            })
            .collect()
    }

    /// Keeps a token by its hash.
    ///
    /// # Errors
    /// The database is away.
    pub async fn add_token(&self, name: &str, hash: &[u8], role: Role, by: &str, ends: DateTime<Utc>) -> Result<i64> {
        sqlx::query!("DELETE FROM token WHERE expires_at < now()").execute(self.pool()).await?;
        let id = sqlx::query_scalar!(
            "INSERT INTO token (name, hash, role, made_by, expires_at) VALUES ($1, $2, $3, $4, $5) RETURNING id",
            name,
            hash,
            role.word(),
            by,
            ends
        );
        Ok(id.fetch_one(self.pool()).await?)
    }

    /// Who a token stands for and what it may do; none where there is no such token, or it has ended.
    ///
    /// # Errors
    /// The database is away.
    pub async fn by_token(&self, hash: &[u8]) -> Result<Option<(String, Role)>> {
        let row = sqlx::query!(
            "UPDATE token SET used_at = now() WHERE hash = $1 AND expires_at > now() RETURNING name, role",
            hash
        );
        row.fetch_optional(self.pool()).await?.map(|r| Ok((r.name, role(&r.role)?))).transpose()
    }

    /// Ends a token.
    ///
    /// # Errors
    /// There is none of that key, or the database is away.
    pub async fn remove_token(&self, id: i64) -> Result<()> {
        let done = sqlx::query!("DELETE FROM token WHERE id = $1", id).execute(self.pool()).await?;
        if done.rows_affected() == 0 { Err(StoreError::Missing(format!("token {id}"))) } else { Ok(()) }
    }

    /// Keeps a session, new or again; those that have ended go.
    ///
    /// # Errors
    /// The database is away.
    pub async fn keep_session(&self, id: &str, body: &str, ends: DateTime<Utc>) -> Result<()> {
        sqlx::query!("DELETE FROM session WHERE expires_at < now()").execute(self.pool()).await?;
        sqlx::query!(
            "INSERT INTO session (id, body, expires_at) VALUES ($1, $2, $3)
             ON CONFLICT (id) DO UPDATE SET body = excluded.body, expires_at = excluded.expires_at",
            id,
            body,
            ends
        )
        .execute(self.pool())
        .await?;
        Ok(())
    }

    /// A session that has not ended.
    ///
    /// # Errors
    /// The database is away.
    pub async fn session(&self, id: &str) -> Result<Option<String>> {
        let row = sqlx::query!("SELECT body FROM session WHERE id = $1 AND expires_at > now()", id);
        Ok(row.fetch_optional(self.pool()).await?.map(|r| r.body))
    }

    /// Ends a session.
    ///
    /// # Errors
    /// The database is away.
    pub async fn drop_session(&self, id: &str) -> Result<()> {
        sqlx::query!("DELETE FROM session WHERE id = $1", id).execute(self.pool()).await?;
        Ok(())
    }

    /// Writes down what somebody did that belongs to no campaign.
    ///
    /// # Errors
    /// The database is away.
    pub async fn note_change(&self, who: &str, what: &str, detail: &Value) -> Result<()> {
        sqlx::query!("INSERT INTO change (who, what, detail) VALUES ($1, $2, $3)", who, what, detail)
            .execute(self.pool())
            .await?;
        Ok(())
    }
}
