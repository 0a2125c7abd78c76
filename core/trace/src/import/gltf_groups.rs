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
        // Parents before children, each with where its parent is.
        let mut entries: Vec<(gltf::Node, Option<usize>)> = Vec::new();
        let tops: Vec<_> = scene.nodes().collect();
        let mut open: Vec<_> = tops.into_iter().rev().map(|n| (n, None)).collect();
        while let Some((node, parent)) = open.pop() {
            let children: Vec<_> = node.children().collect();
            let own = entries.len();
            open.extend(children.into_iter().rev().map(|c| (c, Some(own))));
            entries.push((node, parent));
        }
        let mut meshes: Vec<usize> = (entries.iter())
            .map(|(node, _)| usize::from(node.mesh().is_some()))
            .collect();
        let all: usize = meshes.iter().sum();
        for (i, (_, parent)) in entries.iter().enumerate().rev() {
            if let Some(parent) = parent {
                meshes[*parent] += meshes[i];
            }
        }
        let mut groups = Self::default();
        let mut group_of: Vec<Option<u32>> = Vec::with_capacity(entries.len());
        for (i, (node, parent)) in entries.iter().enumerate() {
            let group = if meshes[i] > 1 && meshes[i] < all {
                let name = node
                    .name()
                    .map_or_else(|| format!("group {}", node.index()), str::to_owned);
                groups.found.push(Group { name });
                Some(groups.found.len() as u32 - 1)
            } else {
                parent.and_then(|p| group_of[p])
            };
            group_of.push(group);
            if let Some(group) = group.filter(|_| node.mesh().is_some()) {
                groups.of_node.insert(node.index(), group);
            }
        }
        groups
    }
}
