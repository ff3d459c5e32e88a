//! Mellow Kiln: makes a folder of heavy pictures ready for the web.

use std::process::ExitCode;

fn main() -> ExitCode {
    mellow_kiln::run()
}
