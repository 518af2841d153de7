//! What somebody looked at before they change it in place, as a request says it: `If-Match` and `If-None-Match` (RFC 9110,
//! sections 13.1.1 and 13.1.2).

use tempestas_core::{Digest, LookedAt};

/// A tag that stands for one state of something (RFC 9110, section 8.8.3).
fn entity_tag(digest: Digest) -> String {
    format!("\"{digest}\"")
}

/// The header and its value that say so.
#[must_use]
pub fn as_precondition(looked_at: LookedAt) -> (&'static str, String) {
    match looked_at {
        LookedAt::This(digest) => ("if-match", entity_tag(digest)),
        LookedAt::Nothing => ("if-none-match", "*".to_owned()),
    }
}

/// What these headers say; none where neither is there.
///
/// # Errors
/// Says what of them can't be used here.
pub fn read_precondition(if_match: Option<&str>, if_none_match: Option<&str>) -> Result<Option<LookedAt>, String> {
    match (if_match.map(str::trim), if_none_match.map(str::trim)) {
        (None, None) => Ok(None),
        (Some(_), Some(_)) => Err("say either `If-Match` or `If-None-Match`".to_owned()),
        (None, Some("*")) => Ok(Some(LookedAt::Nothing)),
        (None, Some(_)) => Err("`If-None-Match` is `*` here: that there was nothing".to_owned()),
        (Some(tag), None) => tag
            .strip_prefix('"')
            .and_then(|tag| Digest::from_hex(tag.strip_suffix('"')?).ok())
            .map(|digest| Some(LookedAt::This(digest)))
            .ok_or_else(|| "`If-Match` is one digest as it was given, in double quotes".to_owned()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_said_is_read_back_and_nothing_else_is_taken_for_it() {
        let digest = Digest::of(&[b"the rule"]);
        for looked_at in [LookedAt::Nothing, LookedAt::This(digest)] {
            let (name, value) = as_precondition(looked_at);
            let said = |header| (name == header).then_some(value.as_str());
            assert_eq!(read_precondition(said("if-match"), said("if-none-match")), Ok(Some(looked_at)));
        }
        assert_eq!(read_precondition(None, None), Ok(None));
        let tag = entity_tag(digest);
        let bare = tag.trim_matches('"');
        // A weak tag never matches (section 13.1.1), and `*` says that nobody looked.
        for wrong in ["*", bare, "\"\"", "", &format!("W/{tag}"), &format!("{tag}, {tag}")] {
            assert!(read_precondition(Some(wrong), None).is_err(), "{wrong}");
        }
        assert!(read_precondition(None, Some(&tag)).is_err());
        assert!(read_precondition(Some(&tag), Some("*")).is_err());
    }
}
