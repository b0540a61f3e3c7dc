"""What is mistyped in a DS record, by the keys that it could be meant for (RFC 4034 s5.1)."""

from collections.abc import Iterable

from legatum.core.dnssec.key import digest_of, parse_ds, parse_key
from legatum.core.records.name import Name


def ds_slip(zone: Name, rdata: bytes, keys: Iterable[bytes]) -> str:
    """In words; empty where the record looks like none of the ``keys``, by their data, or fits one. A digest is over
    the whole key: where it is right, tag and algorithm of that key are the right ones too."""
    ds = parse_ds(rdata)
    if ds is None:
        return ""
    known = [(data, key) for data in keys if (key := parse_key(data)) is not None]
    for data, key in known:
        if digest_of(zone, data, ds.digest_type) == ds.digest:
            wrong = [
                f"{what} {typed} for {meant}"
                for what, typed, meant in (("key tag", ds.tag, key.tag), ("algorithm", ds.algorithm, key.algorithm))
                if typed != meant
            ]
            return (
                f"mistyped: {' and '.join(wrong)}; the digest is that of key {key.tag}/{key.algorithm}" if wrong else ""
            )
    for data, key in known:
        if (ds.tag, ds.algorithm) == (key.tag, key.algorithm) and (
            right := digest_of(zone, data, ds.digest_type)
        ) is not None:
            missing = len(right) - len(ds.digest)
            lost = f", {missing} octets missing" if missing > 0 else ""
            return f"mistyped: its digest is not that of key {key.tag}/{key.algorithm}{lost}"
    return next(
        (
            f"mistyped: algorithm {ds.algorithm} for {key.algorithm}, and its digest"
            for _, key in known
            if key.tag == ds.tag
        ),
        "",
    )
