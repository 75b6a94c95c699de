//! Front end, arming, recording, stopping.

use super::{ApiError, who};
use crate::App;
use axum::Json;
use axum::extract::{Query, State};
use axum::http::{HeaderMap, StatusCode};
use echo_application::present::PresentBody;
use echo_capture::discover::FoundFrontEnd;
use echo_capture::{OrderTo, Status};
use echo_job::watch::Zone;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};

/// State of everything the watch bar shows.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct StatusBody {
    /// Link and capture.
    #[serde(flatten)]
    pub status: Status,
    /// Whether the database answers.
    pub store: bool,
    /// Campaign that capture works for.
    pub campaign: Option<i64>,
    /// Where the worst watched quantity stands.
    pub alarm: Zone,
    /// Who has a page open.
    pub present: Vec<PresentBody>,
    /// What of the server had to be started again, in a sentence.
    pub faults: Option<String>,
}

impl StatusBody {
    /// As it is now; whether the database answers is known to who asks.
    pub(crate) fn of(app: &App, status: Status, store: bool) -> StatusBody {
        let campaign = app.setup().map(|s| s.campaign);
        StatusBody { status, store, campaign, alarm: app.worst(), present: app.present.list(), faults: app.faults() }
    }
}

/// What is going on.
#[utoipa::path(get, operation_id = "read_status", path = "/api/status", responses((status = 200, body = StatusBody)))]
pub async fn status(State(app): State<App>) -> Json<StatusBody> {
    let store = echo_application::health::answers(&app).await;
    let status = app.capture.status().borrow().clone();
    Json(StatusBody::of(&app, status, store))
}

/// Front ends found on the network.
#[utoipa::path(get, operation_id = "found_front_ends", path = "/api/front-ends", responses((status = 200, body = Vec<FoundFrontEnd>)))]
pub async fn found(State(app): State<App>) -> Json<Vec<FoundFrontEnd>> {
    Json(app.discovery().found())
}

/// Where a front end is.
#[derive(Deserialize, ToSchema)]
pub struct Address {
    /// `host:port`, or nothing for none.
    pub address: Option<String>,
}

/// Connects to a front end.
#[utoipa::path(put, operation_id = "connect_front_end", path = "/api/capture/front-end", request_body = Address, responses((status = 204), (status = 422, body = super::ErrorBody)))]
pub async fn connect(State(app): State<App>, Json(to): Json<Address>) -> Result<StatusCode, ApiError> {
    let address = to.address.map(|a| a.trim().to_string()).filter(|a| !a.is_empty());
    for a in address.iter().flat_map(|a| a.split([',', ' '])).filter(|a| !a.is_empty()) {
        let good =
            a.rsplit_once(':').is_some_and(|(host, port)| !host.is_empty() && port.parse::<u16>().is_ok_and(|p| p > 0));
        if !good {
            return Err(echo_job::Refusal::new(
                "address",
                format!("the address must be host:port, such as 192.168.0.20:7460, several with commas, not “{a}”"),
            )
            .into());
        }
    }
    if let Some(setup) = app.setup() {
        app.store.remember_front_end(setup.campaign, address.as_deref()).await?;
    }
    app.capture.connect(address).await;
    Ok(StatusCode::NO_CONTENT)
}

/// Gets ready to record.
#[utoipa::path(post, path = "/api/capture/arm", responses((status = 204), (status = 409, body = super::ErrorBody)))]
pub async fn arm(State(app): State<App>, headers: HeaderMap) -> Result<StatusCode, ApiError> {
    app.capture.by(&who(&headers)).arm().await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Records from now on.
#[utoipa::path(post, path = "/api/capture/record", responses((status = 204), (status = 409, body = super::ErrorBody)))]
pub async fn record(State(app): State<App>, headers: HeaderMap) -> Result<StatusCode, ApiError> {
    app.capture.by(&who(&headers)).record().await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Stops recording, or disarms.
#[utoipa::path(post, path = "/api/capture/stop", responses((status = 204), (status = 409, body = super::ErrorBody)))]
pub async fn stop(State(app): State<App>) -> Result<StatusCode, ApiError> {
    app.capture.stop().await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Which recorder, and what it is to do.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct RecorderOrder {
    /// Its name.
    pub recorder: String,
    /// Keep samples from now on, or no more.
    pub go: bool,
}

/// Starts or stops one recorder of the plan.
#[utoipa::path(post, operation_id = "order_recorder", path = "/api/capture/recorder", request_body = RecorderOrder, responses((status = 204), (status = 409, body = super::ErrorBody)))]
pub async fn recorder(
    State(app): State<App>,
    headers: HeaderMap,
    Json(order): Json<RecorderOrder>,
) -> Result<StatusCode, ApiError> {
    let to = if order.go { OrderTo::Start } else { OrderTo::Stop };
    app.capture.by(&who(&headers)).recorder(&order.recorder, to).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// A mark at this moment.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct MarkNow {
    /// The word, 1 to 200 characters.
    pub says: String,
}

/// Sets a mark at this moment in every run that is recorded.
#[utoipa::path(post, operation_id = "mark_now", path = "/api/capture/mark", request_body = MarkNow, responses((status = 204), (status = 409, body = super::ErrorBody)))]
pub async fn mark(State(app): State<App>, headers: HeaderMap, Json(m): Json<MarkNow>) -> Result<StatusCode, ApiError> {
    app.capture.mark(echo_application::runs::marks::word(&m.says)?, &who(&headers)).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Which held level to reset.
#[derive(Deserialize, IntoParams)]
pub struct OneInput {
    /// Input; all when left out.
    pub input: Option<u16>,
}

/// Resets held levels.
#[utoipa::path(post, path = "/api/capture/levels/reset", params(OneInput), responses((status = 204)))]
pub async fn reset_levels(State(app): State<App>, Query(q): Query<OneInput>) -> StatusCode {
    app.capture.live().reset_held(q.input);
    StatusCode::NO_CONTENT
}
