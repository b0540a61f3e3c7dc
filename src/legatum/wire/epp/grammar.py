"""Which elements stand in which, in what order and how often (the schemas of RFC 5730 s4.1, 5731 s4, 5732 s4, 5733 s4,
5910 s6, 3915 s5).

A model is written as the schemas mean it: ``name add? rem? chg?``, with ``|`` between alternatives. Elements that have
none here hold text. What is in other namespaces is passed over: extensions that nobody here knows.
"""

import re
from functools import cache
from typing import Any

from lxml import etree

from legatum.wire.epp.document import CONTACT, DOMAIN, EPP, HOST, RGP, SECDNS, body
from legatum.wire.malformed import Malformed

_ANY = "*"
_HOLDERS = ("check", "create", "delete", "info", "renew", "transfer", "update")
_MODELS = {
    EPP: {
        "command": (
            "( check | create | delete | info | login | logout | poll | renew | transfer | update ) extension? clTRID?"
        ),
        "login": "clID pw newPW? options svcs",
        "options": "version lang",
        "svcs": "objURI+ svcExtension?",
        "svcExtension": "extURI+",
        "greeting": "svID svDate svcMenu dcp",
        "svcMenu": "version+ lang+ objURI+ svcExtension?",
        "response": "result+ msgQ? resData? extension? trID",
        "result": "msg ( value | extValue )*",
        "extValue": "value reason",
        "msgQ": "( qDate msg )?",
        "trID": "clTRID? svTRID",
        "extension": _ANY,
        "resData": _ANY,
        "value": _ANY,
        "dcp": "access statement+ expiry?",
        "access": "all | none | null | other | personal | personalAndOther",
        "statement": "purpose recipient retention",
        "purpose": "admin? contact? other? prov?",
        "expiry": "absolute | relative",
        "recipient": "other? ours* public? same? unrelated?",
        "ours": "recDesc?",
        "retention": "business | indefinite | legal | none | stated",
        **dict.fromkeys(_HOLDERS, _ANY),
    },
    DOMAIN: {
        "check": "name+",
        "info": "name authInfo?",
        "delete": "name",
        "renew": "name curExpDate period?",
        "create": "name period? ns? registrant? contact* authInfo",
        "transfer": "name period? authInfo?",
        "update": "name add? rem? chg?",
        "add": "ns? contact* status*",
        "rem": "ns? contact* status*",
        "chg": "registrant? authInfo?",
        "ns": "hostObj+ | hostAttr+",
        "hostAttr": "hostName hostAddr*",
        "authInfo": "pw | ext | null",
        "chkData": "cd+",
        "cd": "name reason?",
        "infData": (
            "name roid status* registrant? contact* ns? host* clID crID? crDate? upID? upDate? exDate? "
            "trDate? authInfo?"
        ),
        "trnData": "name trStatus reID reDate acID acDate exDate?",
        "renData": "name exDate?",
        "creData": "name crDate exDate?",
    },
    HOST: {
        "check": "name+",
        "info": "name",
        "delete": "name",
        "create": "name addr*",
        "update": "name add? rem? chg?",
        "add": "addr* status*",
        "rem": "addr* status*",
        "chg": "name",
        "chkData": "cd+",
        "cd": "name reason?",
        "infData": "name roid status+ addr* clID crID crDate upID? upDate? trDate?",
        "creData": "name crDate",
    },
    CONTACT: {
        "check": "id+",
        "info": "id authInfo?",
        "create": "id postalInfo+ voice? fax? email authInfo disclose?",
        "postalInfo": "name org? addr",
        "addr": "street* city sp? pc? cc",
        "authInfo": "pw | ext",
        "chkData": "cd+",
        "cd": "id reason?",
        "infData": (
            "id roid status+ postalInfo+ voice? fax? email clID crID crDate upID? upDate? trDate? authInfo? disclose?"
        ),
        "creData": "id crDate",
    },
    SECDNS: {
        "infData": "maxSigLife? ( dsData+ | keyData+ )",
        "update": "rem? add? chg?",
        "rem": "all | dsData+ | keyData+",
        "add": "maxSigLife? ( dsData+ | keyData+ )",
        "chg": "maxSigLife?",
        "dsData": "keyTag alg digestType digest keyData?",
        "keyData": "flags protocol alg pubKey",
    },
    RGP: {
        "infData": "rgpStatus+",
        "upData": "rgpStatus",
        "update": "restore",
        "restore": "report?",
        "report": "preData postData delTime resTime resReason statement statement other?",
    },
}
_NEEDED = {
    (EPP, "poll"): ("op", "req|ack"),
    (EPP, "transfer"): ("op", "request|query|approve|reject|cancel"),
    (EPP, "result"): ("code", r"\d{4}"),
    (DOMAIN, "period"): ("unit", "y|m"),
    (DOMAIN, "status"): ("s", r"\w+"),
    (DOMAIN, "contact"): ("type", "admin|billing|tech"),
    (HOST, "status"): ("s", r"\w+"),
    (CONTACT, "postalInfo"): ("type", "loc|int"),
    (RGP, "restore"): ("op", "request|report"),
}


def conform(text: bytes) -> Any:
    """What stands in the ``epp`` element, checked throughout. Raises :class:`Malformed` that says where and what was
    expected."""
    found = body(text)
    for each in found.iter(etree.Element):
        _check(each)
    return found


def _check(found: Any) -> None:
    named = etree.QName(found)
    models = _MODELS.get(named.namespace or "")
    if models is None:
        return
    key = (named.namespace, named.localname)
    if key in _NEEDED:
        attribute, values = _NEEDED[key]
        if not re.fullmatch(values, found.get(attribute, "")):
            raise Malformed(f"{named.localname} with {attribute} {found.get(attribute)!r}: {values} was expected")
    model = models.get(named.localname, "")
    if model == _ANY:
        return
    children = [etree.QName(child) for child in found if isinstance(child.tag, str)]
    if any(child.namespace != named.namespace for child in children):
        raise Malformed(f"{named.localname} holds something of another namespace")
    said = " ".join(child.localname for child in children)
    if not _pattern(model).fullmatch(said + " " if said else ""):
        raise Malformed(f"{named.localname} holds {said or 'nothing'}: {model or 'text alone'} was expected")


@cache
def _pattern(model: str) -> re.Pattern[str]:
    """A model as an expression over child names, each followed by a blank."""
    parts = []
    for token in model.split():
        word = re.fullmatch(r"(\w+)([?*+]?)", token)
        parts.append(f"(?:{word[1]} ){word[2]}" if word else token)
    return re.compile("".join(parts))
