//! The estate: a tree of scopes.

use super::World;
use crate::{Scope, ScopeId, Target};

impl World {
    /// The scopes from `scope` up to the root, itself first.
    pub fn upwards(&self, scope: ScopeId) -> impl Iterator<Item = &Scope> {
        std::iter::successors(self.scopes.get(&scope), |scope| scope.parent.and_then(|parent| self.scopes.get(&parent)))
    }

    /// Whether `scope` is `of` or lies below it.
    #[must_use]
    pub fn is_within(&self, scope: ScopeId, of: ScopeId) -> bool {
        self.upwards(scope).any(|above| above.id == of)
    }

    /// How far below the root; the root's is 0.
    #[must_use]
    pub fn depth(&self, scope: ScopeId) -> usize {
        self.upwards(scope).count().saturating_sub(1)
    }

    /// A scope's path, as shown.
    #[must_use]
    pub fn path(&self, scope: ScopeId) -> String {
        let mut names: Vec<&str> =
            self.upwards(scope).filter(|scope| scope.parent.is_some()).map(|scope| scope.name.as_str()).collect();
        names.reverse();
        format!("/{}", names.join("/"))
    }

    /// The scope at a path.
    #[must_use]
    pub fn scope_at(&self, path: &str) -> Option<&Scope> {
        let mut at = self.scopes.get(&self.root?)?;
        for name in path.strip_prefix('/')?.split('/').filter(|name| !name.is_empty()) {
            at = self.child(at.id, name)?;
        }
        Some(at)
    }

    /// The scope of that name right below `parent`.
    #[must_use]
    pub fn child(&self, parent: ScopeId, name: &str) -> Option<&Scope> {
        let id = self.indexes.children.of((parent, name.to_owned())).next()?;
        self.scopes.get(&id)
    }

    /// The target that a scope is, or is a part of.
    #[must_use]
    pub fn target_of(&self, scope: ScopeId) -> Option<&Target> {
        self.upwards(scope).find_map(|above| self.targets.get(&above.id))
    }
}
