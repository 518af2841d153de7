//! How many connections there may be: in all, and from one address, so that nobody takes them from everybody else.

use std::{
    collections::HashMap,
    io,
    net::IpAddr,
    pin::Pin,
    sync::{Arc, Mutex},
    task::{Context, Poll},
};

use axum_server::accept::Accept;
use tokio::net::TcpStream;
use tower::Service;

/// Most connections at a time; each costs some memory and one file of the process.
const CONNECTIONS_MOST: usize = 8192;
/// Most of them from one address.
const FROM_ONE_MOST: usize = 2048;

/// Places for connections.
#[derive(Clone, Default)]
struct Places {
    taken: Arc<Mutex<HashMap<IpAddr, usize>>>,
}

/// One place; free again when it is dropped.
struct Place {
    places: Places,
    address: IpAddr,
}

impl Places {
    fn take(&self, address: IpAddr, most: usize, from_one: usize) -> Option<Place> {
        let mut taken = self.taken.lock().ok()?;
        if taken.values().sum::<usize>() >= most || taken.get(&address).is_some_and(|count| *count >= from_one) {
            return None;
        }
        *taken.entry(address).or_default() += 1;
        Some(Place { places: self.clone(), address })
    }
}

impl Drop for Place {
    fn drop(&mut self) {
        if let Ok(mut taken) = self.places.taken.lock()
            && let Some(count) = taken.get_mut(&self.address)
        {
            *count -= 1;
            if *count == 0 {
                taken.remove(&self.address);
            }
        }
    }
}

/// Accepts connections while there are places.
#[derive(Clone)]
pub(crate) struct Limited<A> {
    inner: A,
    places: Places,
}

impl<A> Limited<A> {
    pub(crate) fn new(inner: A) -> Self {
        Self { inner, places: Places::default() }
    }
}

/// A connection's service, which keeps its place.
#[derive(Clone)]
pub(crate) struct Held<S> {
    inner: S,
    _place: Arc<Place>,
}

impl<S: Service<R>, R> Service<R> for Held<S> {
    type Response = S::Response;
    type Error = S::Error;
    type Future = S::Future;

    fn poll_ready(&mut self, context: &mut Context<'_>) -> Poll<Result<(), S::Error>> {
        self.inner.poll_ready(context)
    }

    fn call(&mut self, request: R) -> S::Future {
        self.inner.call(request)
    }
}

impl<A, S> Accept<TcpStream, S> for Limited<A>
where
    A: Accept<TcpStream, S>,
    A::Future: Send + 'static,
{
    type Stream = A::Stream;
    type Service = Held<A::Service>;
    type Future = Pin<Box<dyn Future<Output = io::Result<(Self::Stream, Self::Service)>> + Send>>;

    fn accept(&self, stream: TcpStream, service: S) -> Self::Future {
        let place =
            stream.peer_addr().map(|peer| self.places.take(peer.ip().to_canonical(), CONNECTIONS_MOST, FROM_ONE_MOST));
        match place {
            Ok(Some(place)) => {
                let accepted = self.inner.accept(stream, service);
                Box::pin(async move {
                    let (stream, service) = accepted.await?;
                    Ok((stream, Held { inner: service, _place: Arc::new(place) }))
                })
            }
            Ok(None) => Box::pin(async { Err(io::Error::other("there are too many connections")) }),
            Err(error) => Box::pin(async move { Err(error) }),
        }
    }
}

#[cfg(test)]
mod tests {
    use std::net::{IpAddr, Ipv4Addr};

    use super::Places;

    #[test]
    fn one_address_takes_no_more_than_its_share_and_gives_places_back() {
        let (places, at) = (Places::default(), |n| IpAddr::V4(Ipv4Addr::new(10, 0, 0, n)));
        let mut held: Vec<_> = (0..3).filter_map(|_| places.take(at(1), 5, 3)).collect();
        assert_eq!(held.len(), 3);
        assert!(places.take(at(1), 5, 3).is_none(), "it took more than its share");
        held.extend([places.take(at(2), 5, 3), places.take(at(3), 5, 3)].into_iter().flatten());
        assert_eq!(held.len(), 5);
        assert!(places.take(at(4), 5, 3).is_none(), "there are more than there may be");
        held.pop();
        assert!(places.take(at(4), 5, 3).is_some());
    }
}
