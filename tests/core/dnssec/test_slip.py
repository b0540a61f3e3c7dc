"""Which character of a DS record was mistyped, by the key that it is meant for."""

from legatum.core.dnssec.slip import ds_slip
from tests.core.findings.observations import DOMAIN, SIGNER, Signer

RIGHT, STRANGER = SIGNER.ds(), Signer(99)
KEYS = (STRANGER.rdata, SIGNER.rdata)
TAG = int.from_bytes(RIGHT[:2])


def slip(rdata: bytes) -> str:
    return ds_slip(DOMAIN, rdata, KEYS)


def test_what_fits_and_what_resembles_nothing_is_no_slip() -> None:
    assert slip(RIGHT) == "" == slip(Signer(7).ds())


def test_each_of_the_four_values() -> None:
    assert f"key tag {TAG + 1} for {TAG}; the digest is that of key {TAG}/13" in slip((TAG + 1).to_bytes(2) + RIGHT[2:])
    assert f"algorithm 8 for 13; the digest is that of key {TAG}/13" in slip(RIGHT[:2] + b"\x08" + RIGHT[3:])
    assert f"its digest is not that of key {TAG}/13" in slip(RIGHT[:-1] + bytes([RIGHT[-1] ^ 1]))
    assert slip(RIGHT[:-2]).endswith("2 octets missing") and "algorithm 8 for 13, and its digest" in slip(
        RIGHT[:2] + b"\x08" + RIGHT[3:-2]
    )
