//! Modes of a structure from its measured responses: at which frequencies, how damped, of what shape.
//!
//! | module | what it holds |
//! | --- | --- |
//! | [`functions`] | responses of many outputs to one or several references |
//! | [`indicator`] | complex and multivariate mode indicator functions |
//! | [`poles`] | poles of rising order by poly-reference least squares in frequency, their stability |
//! | [`refine`] | poles moved to where they explain the responses best |
//! | [`shapes`] | shapes by least squares in frequency with residual terms, synthesis and its error |
//! | [`likeness`] | modal assurance criterion, collinearity of phases |

pub mod functions;
pub mod indicator;
pub mod likeness;
pub mod poles;
pub mod refine;
pub mod shapes;
