//! What things are called: private texts, and rights as they are written.

use std::sync::Arc;

use super::World;
use crate::{Digest, EstateRefusal, Refusal, Right, Role, RoleId, ScopeId, Subject, SubjectId, Words};

impl World {
    /// Makes a private text known.
    pub fn know(&mut self, digest: Digest, text: String) {
        if self.remember(digest, text.into()) {
            self.looks = super::looks::Looks::default();
        }
    }

    /// The same for what is no name; whether it is one, and was waited for.
    pub(super) fn remember(&mut self, digest: Digest, text: Arc<str>) -> bool {
        let is_name = self.indexes.know(digest, &text);
        self.texts.insert(digest, text);
        is_name
    }

    /// The text behind a digest, or a word that it is withheld.
    #[must_use]
    pub fn text(&self, digest: Digest) -> String {
        self.known_text(digest).unwrap_or("(withheld)").to_owned()
    }

    /// Whether the text behind the digest is exactly this one.
    #[must_use]
    pub fn is_text(&self, digest: Digest, text: &str) -> bool {
        self.known_text(digest) == Some(text)
    }

    /// The text behind a digest, unless it is withheld.
    pub(crate) fn known_text(&self, digest: Digest) -> Option<&str> {
        self.texts.get(&digest).map(|text| &**text)
    }

    /// What words say, or that it is withheld.
    #[must_use]
    pub fn words<'w>(&'w self, words: &'w Words) -> &'w str {
        self.known_words(words).unwrap_or("(withheld)")
    }

    /// What words say, unless it is withheld.
    pub(crate) fn known_words<'w>(&'w self, words: &'w Words) -> Option<&'w str> {
        match words {
            Words::Private { digest } => self.known_text(*digest),
            Words::Clear(words) => Some(words),
        }
    }

    /// Whether words say exactly this.
    #[must_use]
    pub fn are_words(&self, words: &Words, said: &str) -> bool {
        self.known_words(words) == Some(said)
    }

    /// Whether words say the same, as far as that is known.
    #[must_use]
    pub fn are_same(&self, one: &Words, other: &Words) -> bool {
        one == other || self.known_words(one).is_some_and(|said| self.are_words(other, said))
    }

    /// What a role is called on its target.
    #[must_use]
    pub fn role_name(&self, id: RoleId) -> &str {
        self.roles.get(&id).map_or("?", |role| self.words(&role.name))
    }

    /// What a role lets one do, in plain words; empty where it isn't known.
    #[must_use]
    pub fn role_says(&self, id: RoleId) -> &str {
        self.roles.get(&id).map_or("", |role| self.words(&role.says))
    }

    /// A subject's name.
    #[must_use]
    pub fn subject_name(&self, id: SubjectId) -> String {
        self.subjects.get(&id).map_or_else(|| id.to_string(), |subject| self.text(subject.name))
    }

    /// The subject of that name.
    #[must_use]
    pub fn subject_named(&self, name: &str) -> Option<&Subject> {
        let id = self.digests(name).flat_map(|name| self.indexes.named.of(name)).min()?;
        self.subjects.get(&id)
    }

    /// What a target offers, or once offered.
    pub fn roles_on(&self, target: ScopeId) -> impl DoubleEndedIterator<Item = &Role> {
        self.indexes.roles_on.of(target).filter_map(|id| self.roles.get(&id))
    }

    /// The role of that name on a target.
    #[must_use]
    pub fn role_named(&self, target: ScopeId, name: &str) -> Option<&Role> {
        self.roles_on(target).find(|role| self.are_words(&role.name, name))
    }

    /// A right as written: `role@/path`.
    #[must_use]
    pub fn right_name(&self, right: Right) -> String {
        let role = self.role_name(right.role);
        format!("{role}@{}", self.path(right.scope))
    }

    /// Reads a right as written.
    ///
    /// # Errors
    /// Says which half isn't there, and what is.
    pub fn right_from(&self, text: &str) -> Result<Right, Refusal> {
        let Some((name, path)) = text.split_once("@/") else {
            return Err(EstateRefusal::NoRight { text: text.to_owned() }.into());
        };
        let scope = self.scope_at(&format!("/{path}")).ok_or_else(|| {
            Refusal::unknown("scope", format!("/{path}"), "`tempestas eligible` shows the scopes you may ask at")
        })?;
        let on_folder = || EstateRefusal::RightOnFolder { path: path.to_owned() };
        let target = self.target_of(scope.id).ok_or_else(on_folder)?;
        let role = self.role_named(target.scope, name).filter(|role| !role.gone).ok_or_else(|| {
            Refusal::unknown("role", format!("{name}@/{path}"), "`tempestas eligible` lists what you may ask for")
        })?;
        Ok(Right { role: role.id, scope: scope.id })
    }
}
