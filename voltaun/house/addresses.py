"""Who somebody is before anything is known of them: addresses, this machine's own ones, and how much they may send."""

import socket
from ipaddress import IPv4Address, ip_address, ip_network

HERE = "voltaun.here"
"""The key of a request's environment by which the server says that it comes from this machine; where it is missing, it
does not."""

STRANGERS_BYTES = 2_000_000
"""Who has not come in, a small device with a token too, sends no larger body. The server takes it in, on to the disk
where it is large, before the application is asked, and a neighbour is to fill no disk."""


def own_addresses() -> list[str]:
    """The IPv4 addresses that others on the same network reach this machine by, those of houses first."""
    import ifaddr
    found = {IPv4Address(ip.ip) for adapter in ifaddr.get_adapters() for ip in adapter.ips if ip.is_IPv4}
    usable = [ip for ip in found if not ip.is_loopback]
    return [str(ip) for ip in sorted(usable, key=lambda ip: (ip.is_link_local, not ip.is_private, int(ip)))]


def is_ours(host: str) -> bool:
    """Whether an address is one of this machine's, as it stands at this moment. Names are none: they may be made to
    point anywhere."""
    try:
        ip = ip_address(host)
    except ValueError:
        return False
    if ip.version != 4 or ip.is_unspecified or ip.is_multicast:
        return False
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as tried:
        try:
            tried.bind((host, 0))  # which only works with an address of one's own
        except OSError:
            return False
    return True


def group(address: str) -> str:
    """Who an address is: of IPv6 the network that one household or one attacker has all of."""
    try:
        ip = ip_address(address)
    except ValueError:
        return address[:64]
    return str(ip_network((ip, 64), strict=False)) if ip.version == 6 else str(ip)
