//! Rules of the server that need no database. Beside the crate: inside it, it would be compiled a second time for them.

mod jobs;
mod page;
mod roles;
mod shown;
mod strangers;
