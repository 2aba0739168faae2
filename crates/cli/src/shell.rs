//! The command `shell`.
use crate::Exit;
use crate::arguments::Shell;
pub(crate) fn shell(_arguments: &Shell) -> Exit {
    Exit::Fine
}
