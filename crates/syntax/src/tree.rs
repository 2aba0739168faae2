//! Nodes that outlive their tree and may be sent between threads.

use crate::kind::{SyntaxKind, SyntaxNode};

/// A node, kept with the text around it: places in it stay those of its text.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct KeptNode {
    tree: rowan::GreenNode,
    start: u32,
    end: u32,
    kind: SyntaxKind,
}

impl KeptNode {
    /// Keeps a node.
    pub fn new(node: &SyntaxNode) -> Self {
        let root = node.ancestors().last().unwrap_or_else(|| node.clone());
        let range = node.text_range();
        Self {
            tree: root.green().into_owned(),
            start: range.start().into(),
            end: range.end().into(),
            kind: node.kind(),
        }
    }

    /// The node again. The root stands for it should it be gone, which a kept tree rules out.
    pub fn node(&self) -> SyntaxNode {
        let root = SyntaxNode::new_root(self.tree.clone());
        let same = |n: &SyntaxNode| {
            let range = n.text_range();
            n.kind() == self.kind
                && u32::from(range.start()) == self.start
                && u32::from(range.end()) == self.end
        };
        root.descendants().find(same).unwrap_or(root)
    }
}
