//! Modes of a structure from its measured responses: at which frequencies, how damped, of what shape.
//!
//! | module | what it holds |
//! | --- | --- |
//! | [`frf`] | the FRF matrix: responses of many outputs to one or several references |
//! | [`band`] | a band of it, laid out for least squares |
//! | [`indicator`] | complex and multivariate mode indicator functions (CMIF, MMIF) |
//! | `normal` | normal equations of the poles |
//! | [`poles`] | poles of rising order by poly-reference least squares in frequency, their stability |
//! | [`refine`] | poles moved to where they explain the responses best |
//! | [`shapes`] | shapes by least squares in frequency with residual terms, synthesis and its error |
//! | [`mac`] | modal assurance criterion (MAC), modal phase collinearity (MPC) |
//! | [`operation`] | correlations in operation, and what is read of them without knowing the forces |

pub mod band;
pub mod frf;
pub mod indicator;
pub mod mac;
mod normal;
pub mod operation;
pub mod poles;
pub mod refine;
pub mod shapes;
