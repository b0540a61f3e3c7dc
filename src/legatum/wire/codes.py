"""Response codes in words (RFC 1035 s4.1.1, RFC 2136 s2.2, RFC 8945 s3)."""

_WORDS = {
    0: "no error", 1: "format error", 2: "server failure", 3: "no such name", 4: "not implemented", 5: "refused",
    6: "name exists", 7: "RRset exists", 8: "RRset does not exist", 9: "not authoritative", 10: "not in zone",
    16: "bad version or signature", 17: "unknown key", 18: "bad time", 22: "signature cut too short", 23: "bad cookie",
}  # fmt: skip

BADSIG, BADKEY, BADTIME = 16, 17, 18


def rcode_text(rcode: int) -> str:
    """The code in plain words: 5 is ``refused``."""
    return _WORDS.get(rcode, f"code {rcode}")
