//! A distinct id per kind of thing; each prints as in the plan's text form.

use serde::{Deserialize, Serialize};
use std::fmt;

macro_rules! id {
    ($(#[$doc:meta])* $name:ident, $letter:literal) => {
        $(#[$doc])*
        #[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
        pub struct $name(pub u32);

        impl $name {
            /// The position in the list that the id points into.
            pub fn index(self) -> usize {
                self.0 as usize
            }
        }

        impl fmt::Display for $name {
            fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                write!(f, concat!($letter, "{}"), self.0)
            }
        }
    };
}

id!(
    /// A table of the [`Schema`](crate::Schema), prints as `t0`.
    TableId,
    "t"
);
id!(
    /// A column of the [`Schema`](crate::Schema), prints as `c0`.
    ColumnId,
    "c"
);
id!(
    /// A link of the [`Schema`](crate::Schema), prints as `l0`.
    LinkId,
    "l"
);
id!(
    /// A role that links may bear, prints as `r0`.
    RoleId,
    "r"
);
id!(
    /// A scan of a [`Graph`](crate::Graph), prints as `s0`.
    ScanId,
    "s"
);
id!(
    /// A key of a [`Graph`](crate::Graph), prints as `k0`.
    KeyId,
    "k"
);
id!(
    /// A figure of a [`Graph`](crate::Graph), prints as `n0`.
    NodeId,
    "n"
);
