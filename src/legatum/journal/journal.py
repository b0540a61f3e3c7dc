"""The journal: an intent before every outside effect, an outcome after, and the replies that show it.

An intent without an outcome is *open*: whoever goes on settles
it by looking at the outside, never by doing it again blindly.
"""

import json
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any, NamedTuple

from legatum.core.memory.given import Given, GivenSet, Look
from legatum.core.memory.history import AGAIN, BY_HAND, FAILED, FORGOTTEN, INTENT, OUTCOME, REFUSED, SENT, Entry
from legatum.core.moves.outcome import Outcome
from legatum.core.records.name import ROOT, Name, absolute_text, file_name, name_text, parse_domain, parse_name
from legatum.core.records.rrtype import parse_type, type_text
from legatum.core.running.fault import BadInput, Fault
from legatum.journal.database import Database, Row
from legatum.journal.occupation import Occupation, system_user
from legatum.journal.shared_files import SharedFiles
from legatum.net.asking.reply import Reply, Transport, Trouble
from legatum.wire.message import encode_question

_FEW = 20  # domains whose files are looked for one by one
_DAY = 86400.0  # seconds between two notes that something is still given as before


class Surveyed(NamedTuple):
    """What the last survey of a domain came to. ``findings``: slug → severity; ``signed_until``: when the first of its
    signatures ends."""

    domain: Name
    at: float
    findings: Mapping[str, str]
    signed_until: float | None


class JournalSize(NamedTuple):
    """How much a journal holds. ``domains``: of which there are entries; ``replies``: kept to entries."""

    entries: int
    domains: int
    replies: int


class _Line(NamedTuple):
    """What a move is known by."""

    step: str
    kind: str
    at: float
    text: str
    facts: str


class Journal:
    """``place``: a file, or PostgreSQL by URL. Methods raise :class:`OutsideFault` when it fails."""

    def __init__(self, place: str, folder: Path, who: str = "") -> None:
        """``who``: works with it, as it is to be remembered; the system's user without one."""
        self._who = who or system_user()
        self._database = Database(place, folder)
        self._occupation = Occupation(self._database)
        self._shelf: SharedFiles | None = None

    def share(self, folder: Path, others: Mapping[str, Path], now: Callable[[], float]) -> None:
        """Where the journal is a database, the files of this folder, and ``others``, name → file, are the operators' in
        common."""
        if self._database.is_shared:
            self._shelf = SharedFiles(self._database, folder, self._who, now, dict(others))

    def bring(self, domains: Sequence[Name] = (), stem: str = "", ours: bool = False) -> None:
        """The files that operators have in common, of these domains, of this ``stem``, or all, as they are in the
        database; ``ours``: as they are here. Raises :class:`GateShut` where one was changed here and there."""
        if self._shelf is None:
            return
        for each in map(file_name, domains) if 0 < len(domains) <= _FEW else (stem,):
            self._shelf.bring(each, ours)

    def form(self) -> int:
        """Of its tables (docs/compatibility.md)."""
        return self._database.form()

    def bring_to(self, form: int) -> None:
        """To an earlier form, for an earlier version of the program, or to a later one again. Raises
        :class:`BadInput`."""
        self._database.bring_to(form)

    def copy_to(self, place: str, folder: Path) -> int:
        """All of it as it is at one moment, while it is in use, to a file or database that has none yet; how many rows.
        A file appears when it is whole. Raises :class:`BadInput`."""
        if "://" in place:
            return self._database.copy_to(Database(place, folder))
        path = folder / place
        if path.exists():
            raise BadInput(f"{path} is there already", "give a file that is not there yet")
        part = path.with_name(f"{path.name}.part")
        part.unlink(missing_ok=True)
        try:
            count = self._database.copy_to(Database(str(part), folder))
            part.rename(path)
        finally:
            part.unlink(missing_ok=True)
        return count

    def held(self) -> JournalSize:
        """How much there is in it."""
        said = "SELECT count(*), count(DISTINCT domain), (SELECT count(*) FROM replies) FROM entries"
        return JournalSize(*self._database.rows(said)[0])

    @property
    def place(self) -> str:
        """Where it is kept, for people."""
        return self._database.named

    @contextmanager
    def occupied(self, domains: Sequence[Name], now: float) -> Iterator[None]:
        """Within it nobody else works on these domains. Raises :class:`GateShut` that says who does, and since when."""
        with self._occupation.of(domains, now):
            self.bring(domains)
            try:
                yield
            except BaseException:
                with suppress(Fault):
                    self.bring(domains, ours=True)
                raise
            self.bring(domains, ours=True)

    def intend(self, move: str, domain: Name, step: str, at: float, text: str, changes: Sequence[str] = ()) -> int:
        """Before an outside effect. The number of the entry. ``changes``: old → new, a line each.

        Room for the outcome must be there too, so that what is done can be recorded.
        """
        self._database.check_room()
        return self._write(move, domain, step, INTENT, at, text, {}, (), changes)

    def settle(self, move: str, domain: Name, outcome: Outcome, at: float, replies: Iterable[Reply]) -> None:
        """After it: what was seen, with the replies that show it."""
        facts = {"first": outcome.first, "all": outcome.all, "facts": dict(outcome.facts)}
        self._write(move, domain, outcome.step, OUTCOME, at, outcome.summary, facts, replies)

    def fail(
        self, move: str, domain: Name, step: str, at: float, text: str, replies: Iterable[Reply], by_hand: bool = False
    ) -> None:  # fmt: skip
        """An effect that ended in a fault: what is known. ``by_hand``: nothing is wrong, only a person can do it."""
        self._write(move, domain, step, FAILED, at, text, {BY_HAND: True} if by_hand else {}, replies)

    def refuse(self, move: str, domain: Name, step: str, at: float, text: str, remedy: str) -> None:
        """A step that was not begun, why, and what to do. Refused again for the same reason it is one entry."""
        self._write_once(move, domain, step, REFUSED, at, text, {"remedy": remedy})

    def found_so(self, move: str, domain: Name, step: str, at: float, text: str) -> None:
        """Nothing was to be done for it. Found so again it is one entry."""
        self._write_once(move, domain, step, OUTCOME, at, text, {"first": at, "all": at, "facts": {}})

    def settle_open(self, domain: Name, step: str, at: float, text: str) -> None:
        """An intent of which nobody wrote down what became of it, settled by what is seen now; nothing where there is
        none."""
        said = "SELECT kind FROM entries WHERE move = '' AND domain = ? AND step = ? ORDER BY number DESC LIMIT 1"
        if self._database.rows(said, name_text(domain), step) == [(INTENT,)]:
            self._write("", domain, step, OUTCOME, at, text, {"first": at, "all": at, "facts": {}}, ())

    def sent(self, at: float, commands: Iterable[tuple[Name, str]]) -> None:
        """Commands that go to a registry now, of each what it is about, and its words with its identifier."""
        self._note([("", domain, "registry", SENT, at, text) for domain, text in commands])

    def intend_many(self, step: str, at: float, texts: Iterable[tuple[Name, str]]) -> None:
        """Before outside effects on many domains."""
        self._database.check_room()
        self._note([("", domain, step, INTENT, at, text) for domain, text in texts])

    def settle_many(self, step: str, at: float, texts: Iterable[tuple[Name, str, bool]]) -> None:
        """After them: of each what was said, and whether it was done."""
        facts = json.dumps({"first": at, "all": at, "facts": {}})
        self._note([("", domain, step, OUTCOME if done else FAILED, at, text) for domain, text, done in texts], facts)

    def _write_once(
        self, move: str, domain: Name, step: str, kind: str, at: float, text: str, facts: Mapping[str, Any]
    ) -> None:
        """Unless that was the last entry of the step."""
        said = "SELECT kind, text FROM entries WHERE move = ? AND domain = ? AND step = ? ORDER BY number DESC LIMIT 1"
        if self._database.rows(said, move, name_text(domain), step) != [(kind, text)]:
            self._write(move, domain, step, kind, at, text, facts, ())

    def _note(self, rows: Iterable[tuple[str, Name, str, str, float, str]], facts: str = "{}") -> None:
        self._database.add("entries", [_entry_row(*row, facts, self._who) for row in rows])

    def domains(self) -> list[Name]:
        """Every domain that the journal knows of."""
        found = self._database.rows("SELECT DISTINCT domain FROM entries")
        return sorted(parse_domain(domain) for (domain,) in found if domain != name_text(ROOT))

    def domains_led_to(self, host: Name) -> list[Name]:
        """Domains of which an NS set that names the host was the last that was seen."""
        said = "SELECT DISTINCT domain, data FROM memory WHERE type = 'NS' AND gone IS NULL AND data LIKE ?"
        named = absolute_text(host)
        found = self._database.rows(said, f"%{named}%")
        return sorted({parse_domain(domain) for domain, data in found if named in data.split()})

    def forget(self, move: str, domain: Name, step: str, at: float, text: str) -> None:
        """The outcome of a step counts no longer, as it was seen to be undone: it will be done again."""
        self._write(move, domain, step, FORGOTTEN, at, text, {}, ())

    def ask_again(self, move: str, domain: Name, step: str, at: float, text: str) -> None:
        """The outcome of a step counts no longer, as somebody wants it done again: nothing was seen to be otherwise."""
        self._write(move, domain, step, AGAIN, at, text, {}, ())

    def outcomes(self, move: str) -> dict[str, Outcome]:
        """Step → its outcome, for the steps that have one that still counts."""
        return self._outcomes(move)[0]

    def asked_again(self, move: str) -> dict[str, Outcome]:
        """Step → the outcome that it had before somebody wanted it done again, where that has not been begun."""
        return self._outcomes(move)[1]

    def _outcomes(self, move: str) -> tuple[dict[str, Outcome], dict[str, Outcome]]:
        """Those that count, and those that stood until somebody wanted the step done again."""
        found, before = dict[str, Outcome](), dict[str, Outcome]()
        for row in self._of_move(move):
            earlier = found.pop(row.step, None) if row.kind in (FORGOTTEN, AGAIN, OUTCOME) else None
            if row.kind == AGAIN and earlier is not None:
                before[row.step] = earlier
            elif row.kind != AGAIN:
                before.pop(row.step, None)
            if row.kind == OUTCOME:
                facts = json.loads(row.facts)
                found[row.step] = Outcome(row.step, facts["first"], facts["all"], row.text, facts["facts"])
        return found, before

    def outcomes_of(self, domain: Name) -> list[Outcome]:
        """All about a domain, whichever command or move they are of, oldest first."""
        said = "SELECT step, text, facts FROM entries WHERE domain = ? AND kind = ? ORDER BY number"
        rows = [
            (step, text, json.loads(facts))
            for step, text, facts in self._database.rows(said, name_text(domain), OUTCOME)
        ]
        return [Outcome(step, facts["first"], facts["all"], text, facts["facts"]) for step, text, facts in rows]

    def begun(self, move: str) -> set[str]:
        """Steps that were ever intended or done, whatever became of them."""
        return {row.step for row in self._of_move(move) if row.kind in (INTENT, OUTCOME)}

    def intents(self, move: str) -> dict[str, float]:
        """Step → when it was intended the last time."""
        return {row.step: row.at for row in self._of_move(move) if row.kind == INTENT}

    def remember(self, *looks: Look) -> None:
        """What was given for domains, each at a time; in as few transactions as for one. What is given as before is no
        new row, and noted to a day."""
        fresh, again, gone = list[Row](), list[tuple[int, float]](), list[tuple[int, float]]()
        for look in looks:
            given = [each for each in self.memory(look.domain) if each.gone is None]
            there = {each.seen: each for each in given}
            for each in dict.fromkeys(look.seen):
                if (found := there.get(each)) is None:
                    fresh.append(_memory_row(look.domain, each, look.at, look.at, None))
                elif look.at - found.last >= _DAY:
                    again.append((found.number, look.at))
            gone += [(each.number, look.at) for each in look.ended(given)]
        self._database.set("memory", "last", again)
        self._database.set("memory", "gone", gone)
        self._database.add("memory", fresh)

    def surveyed(self, found: Iterable[Surveyed]) -> None:
        """The last survey of each domain, in the place of the one before."""
        rows = [
            {
                "domain": name_text(each.domain),
                "at": each.at,
                "findings": json.dumps(dict(each.findings)),
                "signed_until": each.signed_until,
            }
            for each in found
        ]
        self._database.replace("surveys", "domain", rows)

    def surveys(self) -> list[Surveyed]:
        """Of every domain, by name."""
        said = "SELECT domain, at, findings, signed_until FROM surveys ORDER BY domain"
        return [
            Surveyed(parse_domain(domain), at, json.loads(findings), until)
            for domain, at, findings, until in self._database.rows(said)
        ]

    def latest(self) -> dict[Name, int]:
        """Domain → the number of its last entry."""
        found = self._database.rows("SELECT domain, max(number) FROM entries GROUP BY domain")
        return {parse_domain(domain): number for domain, number in found if domain != name_text(ROOT)}

    def of_move(self, move: str) -> list[Entry]:
        """Everything of a move, oldest first."""
        said = f"SELECT {_ENTRY_COLUMNS} FROM entries WHERE move = ? ORDER BY number"
        return [_entry(*row) for row in self._database.rows(said, move)]

    def standings(self) -> dict[str, tuple[str, str]]:
        """Move file → a mark of what it was worked out from, and where it stood."""
        return {
            file: (mark, text) for file, mark, text in self._database.rows("SELECT file, mark, standing FROM standings")
        }

    def keep_standings(self, rows: Iterable[tuple[str, str, str]]) -> None:
        """File, mark, and where it stands."""
        self._database.replace(
            "standings", "file", [{"file": file, "mark": mark, "standing": text} for file, mark, text in rows]
        )

    def recall(self, domain: Name, rows: Iterable[Given]) -> None:
        """What another journal remembers; what is there already is left as it is."""
        there = {(each.seen, each.first) for each in self.memory(domain)}
        fresh = [
            _memory_row(domain, each.seen, each.first, each.last, each.gone)
            for each in rows
            if (each.seen, each.first) not in there
        ]
        self._database.add("memory", fresh)

    def memory(self, domain: Name) -> list[Given]:
        """What is remembered of a domain, oldest first."""
        said = (
            "SELECT number, place, name, type, ttl, data, first, last, gone FROM memory WHERE domain = ? "
            "ORDER BY number"
        )
        return [
            Given(number, place, parse_name(name), parse_type(rtype), ttl, data, first, last, gone)
            for number, place, name, rtype, ttl, data, first, last, gone in self._database.rows(said, name_text(domain))
        ]

    def entries(self, domain: Name) -> list[Entry]:
        """Everything about a domain, oldest first."""
        said = f"SELECT {_ENTRY_COLUMNS} FROM entries WHERE domain = ? ORDER BY number"
        return [_entry(*row) for row in self._database.rows(said, name_text(domain))]

    def entry(self, number: int) -> Entry | None:
        """The one with that number."""
        found = self._database.rows(f"SELECT {_ENTRY_COLUMNS} FROM entries WHERE number = ?", number)
        return _entry(*found[0]) if found else None

    def replies(self, entry: int) -> list[Reply]:
        """Those that are kept with an entry, in the order in which they came."""
        said = (
            "SELECT at, server, name, type, transport, took, wire, query, trouble, tries, cut FROM replies "
            "WHERE entry = ? ORDER BY number"
        )
        return [_reply(*row) for row in self._database.rows(said, entry)]

    def take_in(self, entry: Entry, replies: Iterable[Reply]) -> bool:
        """An entry of another journal; False where the same one is there already."""
        same = (
            "SELECT number FROM entries WHERE domain = ? AND move = ? AND step = ? AND kind = ? AND at = ? AND text = ?"
        )
        if self._database.rows(same, entry.domain, entry.move, entry.step, entry.kind, entry.at, entry.text):
            return False
        domain = parse_name(entry.domain + "." if entry.domain != "." else ".")
        facts = json.dumps(dict(entry.facts))
        row = _entry_row(
            entry.move, domain, entry.step, entry.kind, entry.at, entry.text, facts, entry.who, entry.changes
        )
        self._database.add_with("entries", row, "replies", "entry", map(_reply_row, replies))
        return True

    def _of_move(self, move: str) -> list[_Line]:
        return [
            _Line(*row)
            for row in self._database.rows(
                f"SELECT {', '.join(_Line._fields)} FROM entries WHERE move = ? ORDER BY number", move
            )
        ]

    def _write(
        self,
        move: str,
        domain: Name,
        step: str,
        kind: str,
        at: float,
        text: str,
        facts: Mapping[str, Any],
        replies: Iterable[Reply],
        changes: Sequence[str] = (),
    ) -> int:
        row = _entry_row(move, domain, step, kind, at, text, json.dumps(facts), self._who, changes)
        self.bring([domain], ours=True)  # no entry without the files that it rests on
        return self._database.add_with("entries", row, "replies", "entry", map(_reply_row, replies))


def _entry_row(
    move: str,
    domain: Name,
    step: str,
    kind: str,
    at: float,
    text: str,
    facts: str,
    who: str,
    changes: Sequence[str] = (),
) -> Row:
    return {
        "move": move,
        "domain": name_text(domain),
        "step": step,
        "kind": kind,
        "at": at,
        "text": text,
        "facts": facts,
        "who": who,
        "changes": json.dumps(list(changes)),
    }


_ENTRY_COLUMNS = (
    "number, move, domain, step, kind, at, text, who, changes, facts, (SELECT count(*) FROM replies WHERE "
    "entry = entries.number)"
)


def _entry(
    number: int,
    move: str,
    domain: str,
    step: str,
    kind: str,
    at: float,
    text: str,
    who: str,
    changes: str,
    facts: str,
    replies: int,
) -> Entry:
    return Entry(
        number, move, domain, step, kind, at, text, who, tuple(json.loads(changes)), json.loads(facts), replies
    )


def _memory_row(domain: Name, each: GivenSet, first: float, last: float, gone: float | None) -> Row:
    return {
        "domain": name_text(domain),
        "place": each.place,
        "name": absolute_text(each.name),
        "type": type_text(each.rtype),
        "ttl": each.ttl,
        "data": each.data,
        "first": first,
        "last": last,
        "gone": gone,
    }


def _reply_row(reply: Reply) -> Row:
    return {
        "at": reply.at,
        "server": reply.server,
        "name": name_text(reply.name),
        "type": type_text(reply.rtype),
        "transport": str(reply.transport),
        "took": reply.took,
        "outcome": reply.outcome,
        "wire": reply.wire,
        "query": reply.query,
        "trouble": reply.trouble.name if reply.trouble else "",
        "tries": reply.tries,
        "cut": int(reply.cut),
    }


def _reply(
    at: float,
    server: str,
    name: str,
    rtype: str,
    transport: str,
    took: float,
    wire: bytes,
    query: bytes | None,
    trouble: str,
    tries: int,
    cut: int,
) -> Reply:
    """Those of earlier versions are without their question: made again as it is mostly asked."""
    owner, kind = parse_name(name + "." if name != "." else "."), parse_type(rtype)
    failed = Trouble[trouble] if trouble else None if wire else Trouble.SILENT
    question = bytes(query) if query else encode_question(0, owner, kind)
    return Reply(server, owner, kind, at, took, Transport(transport), tries, bytes(wire), failed, question, bool(cut))
