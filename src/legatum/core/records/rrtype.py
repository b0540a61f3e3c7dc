"""Record types: numbers, mnemonics, and which of them carry names in their data.

Numbers are the IANA registry's. ``NAME_FIELDS`` drives decompression and canonical form: the types of RFC 1035, those
that RFC 3597 s4 allows to arrive compressed, and those that RFC 4034 s6.2 (as amended by RFC 6840 s5.1) puts in lower
case.
"""

from legatum.core.running.fault import BadInput

MNEMONICS: dict[int, str] = {
    1: "A",
    2: "NS",
    3: "MD",
    4: "MF",
    5: "CNAME",
    6: "SOA",
    7: "MB",
    8: "MG",
    9: "MR",
    10: "NULL",
    11: "WKS",
    12: "PTR",
    13: "HINFO",
    14: "MINFO",
    15: "MX",
    16: "TXT",
    17: "RP",
    18: "AFSDB",
    19: "X25",
    20: "ISDN",
    21: "RT",
    22: "NSAP",
    23: "NSAP-PTR",
    24: "SIG",
    25: "KEY",
    26: "PX",
    27: "GPOS",
    28: "AAAA",
    29: "LOC",
    30: "NXT",
    33: "SRV",
    35: "NAPTR",
    36: "KX",
    37: "CERT",
    38: "A6",
    39: "DNAME",
    41: "OPT",
    42: "APL",
    43: "DS",
    44: "SSHFP",
    45: "IPSECKEY",
    46: "RRSIG",
    47: "NSEC",
    48: "DNSKEY",
    49: "DHCID",
    50: "NSEC3",
    51: "NSEC3PARAM",
    52: "TLSA",
    53: "SMIMEA",
    55: "HIP",
    59: "CDS",
    60: "CDNSKEY",
    61: "OPENPGPKEY",
    62: "CSYNC",
    63: "ZONEMD",
    64: "SVCB",
    65: "HTTPS",
    99: "SPF",
    104: "NID",
    105: "L32",
    106: "L64",
    107: "LP",
    108: "EUI48",
    109: "EUI64",
    249: "TKEY",
    250: "TSIG",
    251: "IXFR",
    252: "AXFR",
    255: "ANY",
    256: "URI",
    257: "CAA",
    65401: "ALIAS",
}
# Rare ones: read by their mnemonics, written by their numbers (RFC 3597 s5), which every server knows.
RARE: dict[int, str] = {
    31: "EID",
    32: "NIMLOC",
    34: "ATMA",
    40: "SINK",
    56: "NINFO",
    57: "RKEY",
    58: "TALINK",
    66: "DSYNC",
    67: "HHIT",
    68: "BRID",
    100: "UINFO",
    101: "UID",
    102: "GID",
    103: "UNSPEC",
    258: "AVC",
    259: "DOA",
    260: "AMTRELAY",
    261: "RESINFO",
    262: "WALLET",
    263: "CLA",
    264: "IPN",
    32768: "TA",
    32769: "DLV",
}
_NUMBERS = {text: number for number, text in (MNEMONICS | RARE).items()} | {"ANAME": 65401}

A, NS, CNAME, SOA, PTR, MX, TXT, AAAA, SRV, DNAME = 1, 2, 5, 6, 12, 15, 16, 28, 33, 39
OPT, DS, RRSIG, NSEC, DNSKEY, NSEC3, NSEC3PARAM, CDS, CDNSKEY = 41, 43, 46, 47, 48, 50, 51, 59, 60
TLSA, TSIG, IXFR, AXFR, ANY, CAA = 52, 250, 251, 252, 255, 257
# of the private range: no standard has it, but master files from providers that offer it do; its data are one name
ALIAS = 65401

# How the data is laid out: octets to pass before the names, how many character-strings after those, how many names.
NAME_FIELDS: dict[int, tuple[int, int, int]] = {
    2: (0, 0, 1),
    3: (0, 0, 1),
    4: (0, 0, 1),
    5: (0, 0, 1),
    6: (0, 0, 2),
    7: (0, 0, 1),
    8: (0, 0, 1),
    9: (0, 0, 1),
    12: (0, 0, 1),
    14: (0, 0, 2),
    15: (2, 0, 1),
    17: (0, 0, 2),
    18: (2, 0, 1),
    21: (2, 0, 1),
    24: (18, 0, 1),
    26: (2, 0, 2),
    65401: (0, 0, 1),
    30: (0, 0, 1),
    33: (6, 0, 1),
    35: (4, 3, 1),
    36: (2, 0, 1),
    39: (0, 0, 1),
    46: (18, 0, 1),
}
# Only these may be written compressed (RFC 3597 s4).
COMPRESSIBLE = frozenset((2, 3, 4, 5, 6, 7, 8, 9, 12, 14, 15))


def type_text(number: int) -> str:
    """The mnemonic, or ``TYPE731`` for a type without one (RFC 3597 s5)."""
    return MNEMONICS.get(number) or f"TYPE{number}"


def parse_type(text: str) -> int:
    """The number of a type written as mnemonic or ``TYPE731``. Raises :class:`BadInput`."""
    upper = text.upper()
    if upper in _NUMBERS:
        return _NUMBERS[upper]
    if upper.startswith("TYPE") and upper[4:].isdecimal() and int(upper[4:]) < 65536:
        return int(upper[4:])
    raise BadInput(f"'{text}' is no record type", "write a mnemonic such as MX, or TYPE and a number")
