//! Rounds by the clock: the schedule that goes, and what each round gave.

use crate::state::{RoundState, ScheduleState};
use crate::{Result, Store, StoreError};
use chrono::{DateTime, Utc};
use echo_job::plan::{Plan, Rounds};

/// A schedule of rounds.
#[derive(Debug, Clone, PartialEq)]
pub struct Schedule {
    /// Key.
    pub id: i64,
    /// Campaign it belongs to.
    pub campaign: i64,
    /// The schedule.
    pub rounds: Rounds,
    /// The plan as it stood when it was started.
    pub plan: Plan,
    /// When it was started.
    pub begun_at: DateTime<Utc>,
    /// Where it is.
    pub state: ScheduleState,
}

/// A schedule in short.
#[derive(Debug, Clone, PartialEq)]
pub struct ScheduleShort {
    /// Key.
    pub id: i64,
    /// When it was started.
    pub begun_at: DateTime<Utc>,
    /// Rounds planned.
    pub count: i32,
    /// Where it is.
    pub state: ScheduleState,
}

/// A round of a schedule.
#[derive(Debug, Clone, PartialEq)]
pub struct Round {
    /// Number, from 1.
    pub number: i32,
    /// When it was due.
    pub due_at: DateTime<Utc>,
    /// What became of it.
    pub state: RoundState,
    /// Why, where it is not done.
    pub says: String,
    /// Its run, while its waveform is kept.
    pub run_id: Option<i64>,
    /// Values in the order of the schedule's measures; none where one could not be told.
    pub measured: Vec<Option<f64>>,
}

struct ScheduleRow {
    id: i64,
    campaign_id: i64,
    rounds: serde_json::Value,
    plan: serde_json::Value,
    begun_at: DateTime<Utc>,
    state: ScheduleState,
}

struct RoundRow {
    number: i32,
    due_at: DateTime<Utc>,
    state: RoundState,
    says: String,
    run_id: Option<i64>,
    measured: serde_json::Value,
}

impl RoundRow {
    fn read(self) -> Result<Round> {
        Ok(Round {
            number: self.number,
            due_at: self.due_at,
            state: self.state,
            says: self.says,
            run_id: self.run_id,
            measured: serde_json::from_value(self.measured)?,
        })
    }
}

impl ScheduleRow {
    fn read(self) -> Result<Schedule> {
        Ok(Schedule {
            id: self.id,
            campaign: self.campaign_id,
            rounds: serde_json::from_value(self.rounds)?,
            plan: serde_json::from_value(self.plan)?,
            begun_at: self.begun_at,
            state: self.state,
        })
    }
}

impl Store {
    /// Starts a schedule.
    ///
    /// # Errors
    /// Another one goes, or the database is away.
    pub async fn start_schedule(&self, campaign: i64, rounds: &Rounds, plan: &Plan, who: &str) -> Result<Schedule> {
        if self.going_schedule().await?.is_some() {
            return Err(StoreError::Refused("rounds are going already; stop them first".into()));
        }
        sqlx::query_as!(
            ScheduleRow,
            "INSERT INTO schedule (campaign_id, rounds, plan, who) VALUES ($1, $2, $3, $4)
             RETURNING id, campaign_id, rounds, plan, begun_at, state AS \"state: ScheduleState\"",
            campaign,
            serde_json::to_value(rounds)?,
            serde_json::to_value(plan)?,
            who
        )
        .fetch_one(self.pool())
        .await?
        .read()
    }

    /// The schedule that goes, if one does.
    ///
    /// # Errors
    /// The database is away.
    pub async fn going_schedule(&self) -> Result<Option<Schedule>> {
        sqlx::query_as!(
            ScheduleRow,
            r#"SELECT id, campaign_id, rounds, plan, begun_at, state AS "state: ScheduleState" FROM schedule WHERE state = 'going'"#
        )
        .fetch_optional(self.pool())
        .await?
        .map(ScheduleRow::read)
        .transpose()
    }

    /// A schedule of a campaign, or its newest where none is named; nothing if there is none.
    ///
    /// # Errors
    /// The database is away.
    pub async fn schedule(&self, campaign: i64, id: Option<i64>) -> Result<Option<Schedule>> {
        sqlx::query_as!(
            ScheduleRow,
            r#"SELECT id, campaign_id, rounds, plan, begun_at, state AS "state: ScheduleState" FROM schedule
               WHERE campaign_id = $1 AND id = coalesce($2, id) ORDER BY id DESC LIMIT 1"#,
            campaign,
            id
        )
        .fetch_optional(self.pool())
        .await?
        .map(ScheduleRow::read)
        .transpose()
    }

    /// Schedules of a campaign in short, newest first.
    ///
    /// # Errors
    /// The database is away.
    pub async fn schedules(&self, campaign: i64) -> Result<Vec<ScheduleShort>> {
        let rows = sqlx::query_as!(
            ScheduleShort,
            r#"SELECT id, begun_at, (rounds->>'count')::int AS "count!", state AS "state: ScheduleState" FROM schedule
               WHERE campaign_id = $1 ORDER BY id DESC LIMIT 500"#,
            campaign
        );
        Ok(rows.fetch_all(self.pool()).await?)
    }

    /// Ends a schedule that goes: `done` or `stopped`.
    ///
    /// # Errors
    /// The database is away.
    pub async fn end_schedule(&self, schedule: i64, state: ScheduleState) -> Result<()> {
        sqlx::query!("UPDATE schedule SET state = $2 WHERE id = $1 AND state = 'going'", schedule, state.word())
            .execute(self.pool())
            .await?;
        Ok(())
    }

    /// Writes a round, or what became of it.
    ///
    /// # Errors
    /// The database is away.
    pub async fn write_round(&self, schedule: i64, round: &Round) -> Result<()> {
        sqlx::query!(
            "INSERT INTO round (schedule_id, number, due_at, state, says, run_id, measured)
             VALUES ($1, $2, $3, $4, $5, $6, $7)
             ON CONFLICT (schedule_id, number) DO UPDATE
             SET state = excluded.state, says = excluded.says, run_id = excluded.run_id, measured = excluded.measured",
            schedule,
            round.number,
            round.due_at,
            round.state.word(),
            round.says,
            round.run_id,
            serde_json::to_value(&round.measured)?
        )
        .execute(self.pool())
        .await?;
        Ok(())
    }

    /// Keeps the picture of a round.
    ///
    /// # Errors
    /// The database is away.
    pub async fn write_picture(&self, schedule: i64, number: i32, svg: &str) -> Result<()> {
        sqlx::query!("UPDATE round SET picture = $3 WHERE schedule_id = $1 AND number = $2", schedule, number, svg)
            .execute(self.pool())
            .await?;
        Ok(())
    }

    /// The picture of a round.
    ///
    /// # Errors
    /// There is none, or the database is away.
    pub async fn picture(&self, schedule: i64, number: i32) -> Result<String> {
        sqlx::query_scalar!("SELECT picture FROM round WHERE schedule_id = $1 AND number = $2", schedule, number)
            .fetch_optional(self.pool())
            .await?
            .flatten()
            .ok_or_else(|| StoreError::Missing(format!("the picture of round {number}")))
    }

    /// The last round of a schedule so far.
    ///
    /// # Errors
    /// The database is away.
    pub async fn last_round(&self, schedule: i64) -> Result<Option<Round>> {
        sqlx::query_as!(
            RoundRow,
            r#"SELECT number, due_at, state AS "state: RoundState", says, run_id, measured
               FROM round WHERE schedule_id = $1 ORDER BY number DESC LIMIT 1"#,
            schedule
        )
        .fetch_optional(self.pool())
        .await?
        .map(RoundRow::read)
        .transpose()
    }

    /// Rounds of a schedule, in their order.
    ///
    /// # Errors
    /// The database is away.
    pub async fn rounds(&self, schedule: i64) -> Result<Vec<Round>> {
        let rows = sqlx::query_as!(
            RoundRow,
            r#"SELECT number, due_at, state AS "state: RoundState", says, run_id, measured
               FROM round WHERE schedule_id = $1 ORDER BY number"#,
            schedule
        )
        .fetch_all(self.pool())
        .await?;
        rows.into_iter().map(RoundRow::read).collect()
    }

    /// Runs of a schedule's rounds that are there, oldest first.
    ///
    /// # Errors
    /// The database is away.
    pub async fn round_runs(&self, schedule: i64) -> Result<Vec<i64>> {
        Ok(sqlx::query_scalar!(
            r#"SELECT run_id AS "run_id!" FROM round WHERE schedule_id = $1 AND run_id IS NOT NULL ORDER BY number"#,
            schedule
        )
        .fetch_all(self.pool())
        .await?)
    }
}
