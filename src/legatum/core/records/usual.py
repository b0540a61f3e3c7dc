"""Names that customers' zones usually have, by what they are for, with the types to ask for."""

from legatum.core.records.rrtype import AAAA, CAA, DS, MX, NS, SRV, TXT, A

_HOST = (A, AAAA, MX, TXT)
_HTTPS, _TLSA = 65, 52

USUAL: dict[str, tuple[tuple[int, ...], str]] = {
    "web": (
        _HOST,
        "www www2 web blog shop store forum wiki docs help support status news m mobile static assets images "
        "img media files "
        "cdn download downloads intranet extranet portal login account accounts my app apps api dev test "
        "staging stage demo beta old "
        "new preview",
    ),
    "mail": (
        _HOST,
        "mail mail1 mail2 mx mx1 mx2 smtp imap pop pop3 webmail email autodiscover autoconfig lists "
        "newsletter bounce bounces "
        "relay out",
    ),
    "mail policy": (
        (TXT,),
        "_dmarc _mta-sts _smtp._tls _adsp._domainkey default._domainkey dkim._domainkey mail._domainkey k1._domainkey "
        "k2._domainkey k3._domainkey s1._domainkey s2._domainkey selector1._domainkey selector2._domainkey "
        "selector._domainkey key1._domainkey key2._domainkey 2023._domainkey 2024._domainkey 2025._domainkey "
        "2026._domainkey",
    ),
    "mail hosts": (_HOST, "mta-sts"),
    "services": (
        (SRV,),
        "_imap._tcp _imaps._tcp _pop3._tcp _pop3s._tcp _submission._tcp _submissions._tcp _sieve._tcp "
        "_autodiscover._tcp "
        "_sip._tcp _sip._udp _sips._tcp _sipfederationtls._tcp _xmpp-client._tcp _xmpp-server._tcp "
        "_caldav._tcp _caldavs._tcp "
        "_carddav._tcp _carddavs._tcp _ldap._tcp _kerberos._tcp _kerberos._udp _stun._udp _turn._udp",
    ),
    "proofs": ((TXT,), "_acme-challenge _acme-challenge.www"),
    "certificates": ((_TLSA,), "_443._tcp _443._tcp.www _25._tcp.mail _25._tcp.mx _465._tcp.mail _993._tcp.mail"),
    "servers": (
        _HOST,
        "ns ns1 ns2 ns3 ns4 dns dns1 dns2 server server1 srv host host1 ftp sftp ssh vpn gw gateway fw proxy "
        "cloud git svn "
        "db mysql sql backup nas remote rdp ts voip sip pbx phone cam monitor panel admin manage local localhost "
        "home office",
    ),
    "sub-delegations": ((NS, DS), "lab test dev internal corp"),
}
"""Purpose → types to ask for, and the names relative to the zone, apart by blanks."""

APEX_TYPES = (A, AAAA, MX, TXT, NS, CAA, _HTTPS, SRV, 99, 257, 44, 35, 48, 43)
FOUND_TYPES = (A, AAAA, MX, TXT, CAA, _HTTPS)
"""What a name that exists is asked for."""
