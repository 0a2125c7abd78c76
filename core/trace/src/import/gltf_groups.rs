//! Which objects belong together: those under a common node of the artist's own tree.

use crate::scene::Group;
use std::collections::BTreeMap;

/// The groups of a scene, and the group of each node with a mesh.
#[derive(Default)]
pub(super) struct Groups {
    pub(super) found: Vec<Group>,
    pub(super) of_node: BTreeMap<usize, u32>,
}

impl Groups {
    /// A mesh belongs to the nearest node at or above its own that holds several meshes, but not all of
    /// the scene: moving that would move everything.
    pub(super) fn of(scene: &gltf::Scene) -> Self {
        let all: usize = scene.nodes().map(|n| meshes_under(&n)).sum();
        let mut groups = Self::default();
        for node in scene.nodes() {
            groups.gather(&node, None, all);
        }
        groups
    }

    fn gather(&mut self, node: &gltf::Node, above: Option<u32>, all: usize) {
        let count = meshes_under(node);
        if count == 0 {
            return;
        }
        let group = if count > 1 && count < all {
            let name = node
                .name()
                .map_or_else(|| format!("group {}", node.index()), str::to_owned);
            self.found.push(Group { name });
            Some(self.found.len() as u32 - 1)
        } else {
            above
        };
        if let Some(group) = group.filter(|_| node.mesh().is_some()) {
            self.of_node.insert(node.index(), group);
        }
        for child in node.children() {
            self.gather(&child, group, all);
        }
    }
}

fn meshes_under(node: &gltf::Node) -> usize {
    usize::from(node.mesh().is_some()) + node.children().map(|c| meshes_under(&c)).sum::<usize>()
}
