//! What databases have in common: which table is meant, what is told of it, tables on servers that are read and written to.

mod asked;
mod meant;
mod write;
mod wrong;

pub(crate) use asked::{Asked, Environment, RUNS, Server, Table, each_once, environment};
pub(crate) use meant::{ordering, orders, table_meant};
pub(crate) use write::{Begin, Databases, Place, Session, Wanted, wanted};
pub(crate) use wrong::Wrong;
