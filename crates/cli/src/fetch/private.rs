//! Addresses of private networks, which a page of the web may not make anybody ask.

use std::fmt;
use std::io;
use std::net::{IpAddr, Ipv4Addr, Ipv6Addr};

use ureq::Error;
use ureq::config::Config;
use ureq::http::Uri;
use ureq::unversioned::resolver::{DefaultResolver, ResolvedSocketAddrs, Resolver};
use ureq::unversioned::transport::NextTimeout;
use url::{Host, Url};

/// An address that is not of the public web.
#[derive(Debug)]
pub(super) struct Private(String);

impl Private {
    /// That one.
    pub fn of(address: &Url) -> Private {
        Private(address.host_str().unwrap_or("no host").to_owned())
    }
}

impl fmt::Display for Private {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(
            f,
            "leads into a private network ({}), and the page does not",
            self.0
        )
    }
}

impl std::error::Error for Private {}

/// Finds hosts, but for those of private networks: looked at after the name was resolved, so that no
/// name can hide one.
#[derive(Debug, Default)]
pub(super) struct PublicOnly(Plain);

/// The usual resolver, which does not print itself.
#[derive(Default)]
struct Plain(DefaultResolver);

impl fmt::Debug for Plain {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("the usual")
    }
}

impl Resolver for PublicOnly {
    fn resolve(
        &self,
        uri: &Uri,
        config: &Config,
        timeout: NextTimeout,
    ) -> Result<ResolvedSocketAddrs, Error> {
        let found = self.0.0.resolve(uri, config, timeout)?;
        // A proxy is the user's own, and finds hosts by itself.
        if config
            .proxy()
            .is_some_and(|proxy| uri.host() == Some(proxy.host()))
        {
            return Ok(found);
        }
        match found.iter().find(|one| is_private(one.ip())) {
            Some(private) => Err(Error::Other(Box::new(Private(private.ip().to_string())))),
            None => Ok(found),
        }
    }
}

/// Whether an address is written as one of a private network: then nobody has to find its host.
pub(super) fn is_written_private(address: &Url) -> bool {
    host_is_private(address, |_, _| Ok(Vec::new()))
}

/// Whether an address of a page is in a private network; `resolve` finds the addresses of a name.
pub(super) fn host_is_private(
    address: &Url,
    resolve: impl FnOnce(&str, u16) -> io::Result<Vec<IpAddr>>,
) -> bool {
    let port = address.port_or_known_default().unwrap_or(80);
    match address.host() {
        Some(Host::Ipv4(ip)) => is_private(ip.into()),
        Some(Host::Ipv6(ip)) => is_private(ip.into()),
        Some(Host::Domain(name)) => {
            let found = resolve(name, port);
            found.is_ok_and(|all| all.into_iter().any(is_private))
        }
        None => false,
    }
}

/// Whether an address is not of the public web: of this machine, of a local network, of a provider's
/// inner network, or of no single host (RFC 6890).
fn is_private(ip: IpAddr) -> bool {
    match ip {
        IpAddr::V4(ip) => is_private_v4(ip),
        IpAddr::V6(ip) => match embedded(ip) {
            Some(ip) => is_private_v4(ip),
            None => {
                ip.is_loopback()
                    || ip.is_unspecified()
                    || ip.is_multicast()
                    || ip.is_unique_local()
                    || ip.is_unicast_link_local()
            }
        },
    }
}

fn is_private_v4(ip: Ipv4Addr) -> bool {
    let [a, b, ..] = ip.octets();
    ip.is_private()
        || ip.is_loopback()
        || ip.is_link_local()
        || ip.is_multicast()
        || ip.is_broadcast()
        || a == 0
        || a >= 240
        || (a == 100 && b & 0xC0 == 64)
        || (a == 192 && b == 0)
        || (a == 198 && b & 0xFE == 18)
}

/// The address of the older form within one of the newer: mapped, or behind a translator.
fn embedded(ip: Ipv6Addr) -> Option<Ipv4Addr> {
    let mapped = ip.to_ipv4_mapped();
    let [a, b, c, d, e, f, high, low] = ip.segments();
    let translated = (a, b, c, d, e, f) == (0x64, 0xFF9B, 0, 0, 0, 0);
    let [h1, h2] = high.to_be_bytes();
    let [l1, l2] = low.to_be_bytes();
    mapped.or(translated.then_some(Ipv4Addr::new(h1, h2, l1, l2)))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn private_networks_are_told_from_the_web() {
        let private = [
            "127.0.0.1",
            "10.1.2.3",
            "172.16.0.1",
            "192.168.1.1",
            "169.254.169.254",
            "100.64.0.1",
            "0.0.0.0",
            "224.0.0.1",
            "255.255.255.255",
            "198.18.0.1",
            "::1",
            "::",
            "fe80::1",
            "fd00::1",
            "ff02::1",
            "::ffff:10.0.0.1",
            "64:ff9b::7f00:1",
        ];
        for ip in private {
            assert!(is_private(ip.parse().expect("an address")), "{ip}");
        }
        for ip in [
            "93.184.216.34",
            "172.32.0.1",
            "100.128.0.1",
            "2606:4700::1",
            "64:ff9b::808:808",
        ] {
            assert!(!is_private(ip.parse().expect("an address")), "{ip}");
        }
    }

    #[test]
    fn a_host_is_private_by_what_its_name_leads_to() {
        let is = |address: &str, leads_to: &str| {
            let ip = leads_to.parse().expect("an address");
            let address = Url::parse(address).expect("an address");
            host_is_private(&address, |_, _| Ok(vec![ip]))
        };
        assert!(is("http://tern.example/", "10.0.0.5"));
        assert!(!is("http://tern.example/", "93.184.216.34"));
        // Other spellings of this machine are addresses, not names.
        assert!(is("http://0x7f.1/", "93.184.216.34"));
        assert!(is("http://[::1]:8080/", "93.184.216.34"));
        assert!(!is("file:///srv/site/", "10.0.0.5"));
        let written = |text: &str| is_written_private(&Url::parse(text).expect("an address"));
        assert!(written("http://192.168.1.1/a.png") && !written("http://router.example/a.png"));
    }
}
