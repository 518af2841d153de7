//! The console's files, embedded. The pages are static and hold no data: they call the API from their own origin.

use axum::{
    http::{HeaderValue, StatusCode, Uri, header},
    response::{IntoResponse, Response},
};
use rust_embed::RustEmbed;

/// Everything from its own origin, and nothing inline.
pub(crate) const POLICY: &str = "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self'; \
    font-src 'self'; connect-src 'self'; manifest-src 'self'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'";

#[derive(RustEmbed)]
#[folder = "../../console/dist"]
#[allow_missing = true]
struct Files;

/// Whether whoever asks for it wants a file, and would take the page for one.
fn is_no_page(path: &str) -> bool {
    ["assets/", ".well-known/"].iter().any(|below| path.starts_with(below))
        || ["robots.txt", "favicon.ico"].contains(&path)
}

/// The file at a path; the page itself for every path that names none, since the console routes by itself.
pub(crate) async fn serve(uri: Uri) -> Response {
    let path = uri.path().trim_start_matches('/');
    let (path, file) = match Files::get(path) {
        Some(file) if !path.is_empty() => (path, Some(file)),
        _ if is_no_page(path) => return (StatusCode::NOT_FOUND, "no such file\n").into_response(),
        _ => ("index.html", Files::get("index.html")),
    };
    let Some(file) = file else {
        return (StatusCode::NOT_FOUND, "this service was built without its console; `make console` builds it\n")
            .into_response();
    };
    // What is under assets/ bears its content's hash in its name.
    let kept = if path.starts_with("assets/") { "public, max-age=31536000, immutable" } else { "no-cache" };
    let kind = HeaderValue::from_str(file.metadata.mimetype()).unwrap_or(HeaderValue::from_static("text/plain"));
    (
        [
            (header::CONTENT_TYPE, kind),
            (header::CACHE_CONTROL, HeaderValue::from_static(kept)),
            (header::CONTENT_SECURITY_POLICY, HeaderValue::from_static(POLICY)),
        ],
        file.data,
    )
        .into_response()
}
