//! What `kiln ledger` goes by.

use std::path::PathBuf;

use super::{Remote, away, kiln_file, out_folder};
use crate::args::{LedgerAction, LedgerArgs};
use crate::failure::Failure;

/// All that a look at a ledger goes by.
#[derive(Clone, Debug)]
pub struct LedgerSettings {
    /// What is done.
    pub action: LedgerAction,
    /// The out folder.
    pub out: PathBuf,
    /// Its machine, where that is another one.
    pub remote: Option<Box<Remote>>,
    /// Whether it is told as a JSON document.
    pub json: bool,
}

impl LedgerSettings {
    /// What options and kiln file mean together.
    pub fn resolve(typed: &LedgerArgs) -> Result<LedgerSettings, Failure> {
        let file = kiln_file(&typed.kiln_file)?;
        let out = out_folder(typed.out.as_ref(), file.as_ref());
        Ok(LedgerSettings {
            action: typed.action,
            remote: away::remote(&out, file.as_ref())?.map(Box::new),
            out,
            json: typed.json,
        })
    }
}
