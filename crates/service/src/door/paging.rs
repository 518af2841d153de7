//! Lists, a page at a time: the next page is named in a `Link` (RFC 8288), and its cursor holds the place where the last one
//! ended, so that nothing is left out or told twice because of what comes and goes meanwhile.

use axum::{
    extract::{FromRequestParts, Query as RawQuery},
    http::{HeaderValue, Uri, header, request::Parts},
    response::{IntoResponse, Response},
};
use base64::{Engine as _, engine::general_purpose::URL_SAFE_NO_PAD};
use serde::{Serialize, de::DeserializeOwned};
use url::form_urlencoded;

use crate::{app::App, problem::Failure};

/// Most items on a page, and how many where nobody says.
pub(super) const PAGE_MOST: usize = 1000;

const LIMIT: &str = "limit";
const AFTER: &str = "after";

/// A list's filter, and which of its pages is wanted.
pub(crate) struct Listed<T>(pub(crate) T, pub(crate) Paging);

/// Which page of a list is wanted.
pub(crate) struct Paging {
    limit: usize,
    after: Option<String>,
    /// The filter as it was said, for the next page's address.
    filter: Vec<(String, String)>,
}

impl Paging {
    /// Where the last page ended.
    pub(crate) fn after<K: DeserializeOwned>(&self) -> Result<Option<K>, Failure> {
        self.after.as_deref().map(read_cursor).transpose()
    }

    /// How many items it takes to fill the page, and to know whether there are more.
    pub(crate) const fn enough(&self) -> usize {
        self.limit + 1
    }

    /// The wanted page, in the order of `key`, which no two items share.
    pub(crate) fn of<T, K>(self, items: impl Iterator<Item = T>, key: impl Fn(&T) -> K) -> Result<Page<T>, Failure>
    where
        K: Ord + Serialize + DeserializeOwned,
    {
        let after: Option<K> = self.after()?;
        let mut keyed: Vec<(K, T)> = items.map(|item| (key(&item), item)).collect();
        keyed.retain(|(key, _)| after.as_ref().is_none_or(|after| key > after));
        keyed.sort_by(|(one, _), (other, _)| one.cmp(other));
        let more = keyed.len() > self.limit;
        keyed.truncate(self.limit);
        let last = keyed.last().filter(|_| more).map(|(key, _)| cursor(key)).transpose()?;
        let next = last.map(|last| self.next(&last));
        Ok(Page { items: keyed.into_iter().map(|(_, item)| item).collect(), next })
    }

    /// The next page's address, as a reference from this one's.
    fn next(&self, last: &str) -> String {
        let limit = self.limit.to_string();
        let mut query = form_urlencoded::Serializer::new(String::new());
        query.extend_pairs(&self.filter).append_pair(LIMIT, &limit).append_pair(AFTER, last);
        format!("?{}", query.finish())
    }
}

fn cursor<K: Serialize>(key: &K) -> Result<String, Failure> {
    serde_json::to_vec(key).map(|key| URL_SAFE_NO_PAD.encode(key)).map_err(|error| Failure::Failed(error.into()))
}

fn read_cursor<K: DeserializeOwned>(said: &str) -> Result<K, Failure> {
    let read = URL_SAFE_NO_PAD.decode(said).ok().and_then(|key| serde_json::from_slice(&key).ok());
    read.ok_or_else(|| Failure::Malformed(format!("`{AFTER}` is none that the `Link` of a page of this list gave")))
}

/// One page of a list.
pub(crate) struct Page<T> {
    items: Vec<T>,
    next: Option<String>,
}

impl<T> Page<T> {
    /// The same page of other items.
    pub(crate) fn map<V>(self, view: impl FnMut(T) -> V) -> Page<V> {
        Page { items: self.items.into_iter().map(view).collect(), next: self.next }
    }
}

impl<T: Serialize> IntoResponse for Page<T> {
    fn into_response(self) -> Response {
        let link = self.next.and_then(|next| HeaderValue::from_str(&format!("<{next}>; rel=\"next\"")).ok());
        let link = link.map(|link| [(header::LINK, link)]);
        (link, axum::Json(self.items)).into_response()
    }
}

impl<T: DeserializeOwned> FromRequestParts<App> for Listed<T> {
    type Rejection = Failure;

    async fn from_request_parts(parts: &mut Parts, _: &App) -> Result<Self, Failure> {
        let query = parts.uri.query().unwrap_or_default();
        let (mut limit, mut after, mut filter) = (None, None, Vec::new());
        for (name, value) in form_urlencoded::parse(query.as_bytes()) {
            let twice = match name.as_ref() {
                LIMIT => limit.replace(value.into_owned()).is_some(),
                AFTER => after.replace(value.into_owned()).is_some(),
                _ => {
                    filter.push((name.into_owned(), value.into_owned()));
                    false
                }
            };
            if twice {
                return Err(Failure::Malformed("a page's `limit` and `after` are said once".to_owned()));
            }
        }
        let wrong = || Failure::Malformed(format!("`{LIMIT}` is a number from 1 to {PAGE_MOST}"));
        let limit = limit.map_or(Ok(PAGE_MOST), |limit| limit.parse().map_err(|_| wrong()))?;
        if !(1..=PAGE_MOST).contains(&limit) {
            return Err(wrong());
        }
        let rest = form_urlencoded::Serializer::new(String::new()).extend_pairs(&filter).finish();
        let rest: Uri =
            format!("/?{rest}").parse().map_err(|_| Failure::Malformed("the query can't be read".to_owned()))?;
        let RawQuery(said) = RawQuery::try_from_uri(&rest)
            .map_err(|rejection| Failure::Malformed(format!("the query can't be used: {}", rejection.body_text())))?;
        Ok(Self(said, Paging { limit, after, filter }))
    }
}

#[cfg(test)]
mod tests {
    use std::cmp::Reverse;

    use super::*;

    fn page(limit: usize, after: Option<String>) -> Paging {
        Paging { limit, after, filter: vec![("who".to_owned(), "a b&c".to_owned())] }
    }

    /// The cursor in a page's link.
    fn after(page: &Page<u32>) -> Option<String> {
        let (_, after) = page.next.as_deref()?.split_once("after=")?;
        Some(after.to_owned())
    }

    #[test]
    fn pages_put_together_are_the_list_whatever_comes_and_goes_meanwhile() {
        let mut items: Vec<u32> = (0..25).rev().collect();
        let (mut seen, mut cursor) = (Vec::new(), None);
        for round in 0.. {
            let page = page(10, cursor).of(items.iter().copied(), |item| Reverse(*item)).unwrap();
            seen.extend(page.items.clone());
            cursor = after(&page);
            if cursor.is_none() {
                break;
            }
            // The very item where the page ended goes, and a newer one comes.
            items.retain(|item| Some(item) != page.items.last());
            items.push(100 + round);
        }
        assert_eq!(seen, (0..25).rev().collect::<Vec<u32>>());
    }

    #[test]
    fn a_link_keeps_the_filter_and_the_last_page_has_none() {
        let first = page(2, None).of([3, 1, 2].into_iter(), |item| *item).unwrap();
        assert_eq!(first.next.as_deref(), Some("?who=a+b%26c&limit=2&after=Mg"));
        assert_eq!(page(2, after(&first)).of([3, 1, 2].into_iter(), |item| *item).unwrap().items, [3]);
        assert!(page(3, None).of([3, 1, 2].into_iter(), |item| *item).unwrap().next.is_none());
        for wrong in ["", "x", "Mg==", "IiI"] {
            assert!(page(2, Some(wrong.to_owned())).of([1].into_iter(), |item| *item).is_err(), "{wrong}");
        }
    }
}
