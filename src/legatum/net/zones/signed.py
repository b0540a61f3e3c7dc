"""What a refused signature means for the person whose key it is."""

from legatum.core.records.name import name_text
from legatum.core.running.fault import OutsideFault
from legatum.wire.codes import BADKEY, BADSIG, BADTIME
from legatum.wire.message import Message
from legatum.wire.tsig import BadSignature, Exchange, TsigKey, tsig_data


class KeyFault(OutsideFault):
    """A key is to blame: nothing is said about the zone."""


def signature_fault(server: str, key: TsigKey, error: BadSignature) -> KeyFault:
    """The fault for a signature that one of the two sides did not accept: unknown key, wrong secret and wrong time told
    apart."""
    named = f"key {name_text(key.name)} ({key.algorithm})"
    if not error.by_peer:
        return KeyFault(
            f"{server}: the answer's signature does not hold with {named}: {error.why}",
            "do not trust this answer; check the key on both sides",
        )
    if error.code == BADKEY:
        return KeyFault(
            f"{server} does not know {named} (BADKEY)",
            "compare name and algorithm of the key with the server's configuration",
        )
    if error.code == BADSIG:
        return KeyFault(
            f"{server} knows {named}, but the secret differs (BADSIG)",
            "copy the secret again from the server's configuration",
        )
    if error.code == BADTIME:
        return KeyFault(
            f"{server}: this clock and the server's are too far apart for {named} (BADTIME)",
            "set the time on both machines",
        )
    return KeyFault(
        f"{server} refused the signature of {named}: {error.why}", "compare the key with the server's configuration"
    )


def check_signed(
    server: str, exchange: Exchange | None, wire: bytes, message: Message, now: float, multi: bool = False
) -> None:
    """Raises the fault for an answer whose signature does not hold. A refusal without a signature is left to the
    caller."""
    if exchange is None:
        return
    if message.tsig_at is None and message.rcode:
        return
    try:
        if message.tsig_at is not None and (code := int(tsig_data(message.additional[-1]).error)):
            raise BadSignature(code, f"TSIG error {code}", True)
        exchange.check_answer(wire, message, now, multi)
    except BadSignature as error:
        raise signature_fault(server, exchange.key, error) from error
