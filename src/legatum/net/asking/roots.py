"""The public root servers' addresses, for settings that say ``roots = "public"`` (IANA's root hints)."""

PUBLIC_ANCHORS = {
    ".": [
        "20326 8 2 E06D44B80B8F1D39A95C0B0D7C65D08458E880409BBC683457104237C7F8EC8D",
        "38696 8 2 683D2D0ACB8C9B712A1948B27F741219298D0A450D612C483AF444A4C0FB2B16",
    ]
}
"""The keys of the public root, as DS records (IANA's trust anchors, RFC 9718)."""
PUBLIC_ROOTS: dict[str, tuple[str, str]] = {
    "a.root-servers.net": ("198.41.0.4", "2001:503:ba3e::2:30"),
    "b.root-servers.net": ("170.247.170.2", "2801:1b8:10::b"),
    "c.root-servers.net": ("192.33.4.12", "2001:500:2::c"),
    "d.root-servers.net": ("199.7.91.13", "2001:500:2d::d"),
    "e.root-servers.net": ("192.203.230.10", "2001:500:a8::e"),
    "f.root-servers.net": ("192.5.5.241", "2001:500:2f::f"),
    "g.root-servers.net": ("192.112.36.4", "2001:500:12::d0d"),
    "h.root-servers.net": ("198.97.190.53", "2001:500:1::53"),
    "i.root-servers.net": ("192.36.148.17", "2001:7fe::53"),
    "j.root-servers.net": ("192.58.128.30", "2001:503:c27::2:30"),
    "k.root-servers.net": ("193.0.14.129", "2001:7fd::1"),
    "l.root-servers.net": ("199.7.83.42", "2001:500:9f::42"),
    "m.root-servers.net": ("202.12.27.33", "2001:dc3::35"),
}
