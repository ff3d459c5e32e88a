//! What pictures are judged by, in a survey and in a page.

use kiln_core::encode::Format;
use kiln_core::plan::Look;

use crate::wording;

/// What pictures are judged by, and which of them are shown.
#[derive(Debug, clap::Args)]
pub struct JudgingArgs {
    /// The format of the estimates: jpeg, png, webp or avif.
    #[arg(short, long, value_name = "FORMAT", default_value = "webp", value_parser = wording::parse_format)]
    pub format: Format,

    /// The look of the estimates: plain, fine, crisp, faithful, exact, or a score from 0 to 100.
    #[arg(short, long, value_name = "LOOK", default_value = "fine", value_parser = wording::parse_look)]
    pub look: Look,

    /// The most that a picture may weigh. Without it: rather heavy from 100 KB on, heavy from
    /// 200 KB, far too heavy from 500 KB.
    #[arg(short, long, value_name = "SIZE", value_parser = wording::parse_weight)]
    pub max_weight: Option<u64>,

    /// Only pictures above this weight.
    #[arg(long, value_name = "SIZE", value_parser = wording::parse_weight)]
    pub over: Option<u64>,

    /// Only so many pictures.
    #[arg(long, value_name = "N", value_parser = wording::parse_top)]
    pub top: Option<usize>,

    /// Read headers only: much faster, but without estimates, twins and what a picture shows.
    #[arg(long)]
    pub headers_only: bool,

    /// The largest picture that is looked at, in megapixels.
    #[arg(long, value_name = "MP", default_value = "300", value_parser = wording::parse_megapixels)]
    pub allowance: u64,

    /// Pictures in work at once. [default: one per core]
    #[arg(short, long, value_name = "N", value_parser = wording::parse_jobs)]
    pub jobs: Option<usize>,
}
