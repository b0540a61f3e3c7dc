"""The registrar's side when answers are lost or registries say one thing and do another: nothing is done twice, and the
journal knows."""

import time
from pathlib import Path

import pytest

from legatum.core.records.name import parse_name
from legatum.core.running.fault import Fault, GateShut, OutsideFault
from legatum.net.clock import SystemClock
from legatum.practice.registry import Trouble
from legatum.services.registrar import NsChange
from legatum.wire import epp
from legatum.work.fleet.ns_sets import Candidate, change
from legatum.work.registry.registration import change_nameservers, restore
from legatum.work.registry.renewal import plan_renewal, renew
from tests.registry import ALDER, BIRCH, DOMAIN, OTHER, Up, with_registry

HOST = parse_name("ns1.kilnandclay.example.")
DS = bytes.fromhex("12350d02" + "ab" * 32)


@pytest.mark.parametrize("unheard", [False, True])
def test_a_connection_that_drops_at_a_command_is_looked_into_and_nothing_is_done_twice(
    tmp_path: Path, unheard: bool
) -> None:
    """Whether the registry had carried the command out or not, it is carried out once."""

    async def work(up: Up) -> None:
        flint, slate = up.account("flint"), up.account("slate")
        held = up.registry.book.domains
        code = held[DOMAIN].code
        expires = held[DOMAIN].expires
        actions = [
            (
                "update",
                lambda: flint.change_nameservers(DOMAIN, BIRCH, ALDER),
                lambda: held[DOMAIN].nameservers == BIRCH,
            ),
            (
                "update",
                lambda: flint.change_statuses(DOMAIN, ["clientHold"], []),
                lambda: "clientHold" in held[DOMAIN].statuses,
            ),
            (
                "update",
                lambda: flint.change_statuses(DOMAIN, [], ["clientHold"]),
                lambda: held[DOMAIN].statuses == ("ok",),
            ),
            ("update", lambda: flint.change_ds(DOMAIN, [DS], []), lambda: held[DOMAIN].ds == (DS,)),
            (
                "renew",
                lambda: flint.renew(DOMAIN, expires, 1),
                lambda: int(held[DOMAIN].expires[:4]) == int(expires[:4]) + 1,
            ),
            (
                "create",
                lambda: flint.change_host(HOST, ["198.51.100.31"], [], True),
                lambda: HOST in up.registry.book.hosts,
            ),
            ("delete", lambda: flint.delete_host(HOST), lambda: HOST not in up.registry.book.hosts),
            (
                "transfer",
                lambda: slate.transfer(DOMAIN, "request", code, 1),
                lambda: "pendingTransfer" in held[DOMAIN].statuses,
            ),
            ("transfer", lambda: slate.transfer(DOMAIN, "cancel"), lambda: held[DOMAIN].statuses == ("ok",)),
        ]
        for verb, act, is_so in actions:
            up.registry.trouble, before = Trouble(drop=verb, unheard=unheard), len(up.server.commands)
            said = await act()
            assert is_so(), (verb, said)
            sent = [each for each in up.server.commands[before:] if each == verb]
            looked = ["transfer"] if verb == "transfer" else []  # a transfer is looked at with a transfer command
            assert sent == [verb, *looked, *([verb] if unheard else [])], up.server.commands[before:]
            assert ("looking showed" in said) is not unheard
        assert int(held[DOMAIN].expires[:4]) == int(expires[:4]) + 1

    with_registry(tmp_path, work)


def test_each_command_is_in_the_journal_under_the_identifier_that_the_registry_knows(tmp_path: Path) -> None:
    async def work(up: Up) -> None:
        context = up.context
        await change_nameservers(context, context.registrar("flint"), DOMAIN, BIRCH)
        await context.registrar("flint").change_code(DOMAIN, "a-secret-0f-theirs")
        entries = context.journal.entries(DOMAIN)
        assert [entry.kind for entry in entries] == ["intent", "sent", "outcome", "sent"]
        assert "as LEG-" in entries[1].text and "QM-" in entries[2].text
        stored = (tmp_path / "journal.sqlite").read_bytes()
        assert b"a-secret-0f-theirs" not in stored and b"first-password" not in stored

    with_registry(tmp_path, work)


def test_a_renewal_whose_end_nobody_saw_is_not_sent_again(tmp_path: Path) -> None:
    """The connection dropped and the registry could not be asked afterwards; the same command later finds out."""

    async def work(up: Up) -> None:
        context = up.context
        account = context.registrar("flint")
        before = up.registry.book.domains[DOMAIN].expires
        up.registry.trouble = Trouble(drop="renew")
        known = up.registry.book.knows
        up.registry.book.knows = lambda registrar, password: (
            "renew" not in up.server.commands and known(registrar, password)
        )  # type: ignore[method-assign]
        with pytest.raises(OutsideFault, match="user name or password wrong"):
            await renew(context, account, await plan_renewal(context, account, DOMAIN, 1, ""))
        up.registry.book.knows = known  # type: ignore[method-assign]
        for _ in range(2):  # the second time it is known to be settled, and is the same command still
            plan = await plan_renewal(context, account, DOMAIN, 1, "")
            assert plan.years == 0 and int(plan.expires[:4]) == int(before[:4]) + 1
            assert "had taken effect" in plan.over or "renewed at" in plan.over
        assert up.server.commands.count("renew") == 1
        plan = await plan_renewal(context, account, DOMAIN, 1, f"{int(before[:4]) + 2}{before[4:10]}")
        outcome, until = await renew(context, account, plan)
        assert (
            up.server.commands.count("renew") == 2
            and int(until[:4]) == int(before[:4]) + 2
            and "1000" in outcome.summary
        )
        later = SystemClock()
        later.now = lambda: time.time() + 31 * 86400  # type: ignore[method-assign]
        context.clock = later  # long after it is a wish of its own
        assert (await plan_renewal(context, account, DOMAIN, 3, "")).years == 3

    with_registry(tmp_path, work)


def test_a_registry_that_says_yes_and_does_nothing_is_told(tmp_path: Path) -> None:
    async def work(up: Up) -> None:
        context = up.context
        account = context.registrar("flint")
        up.registry.domains.update = lambda *_: epp.Response(1000, "", "", "")  # type: ignore[method-assign]
        up.registry.domains.renew = lambda *_: epp.Response(1000, "", "", "")  # type: ignore[method-assign]
        with pytest.raises(OutsideFault, match="still expires"):
            await renew(context, account, await plan_renewal(context, account, DOMAIN, 1, ""))
        with pytest.raises(OutsideFault, match=r"but holds ns1\.alder\.test"):
            await change_nameservers(context, account, DOMAIN, BIRCH)
        kinds = [(entry.step, entry.kind) for entry in context.journal.entries(DOMAIN) if entry.kind != "sent"]
        assert kinds == [("renew", "intent"), ("renew", "failed"), ("nameservers", "intent"), ("nameservers", "failed")]

    with_registry(tmp_path, work)


def test_many_sets_go_over_one_session_and_what_is_lost_on_the_way_is_looked_into(tmp_path: Path) -> None:
    async def work(up: Up) -> None:
        domains = [parse_name(f"d{number:02d}.example.") for number in range(30)]
        for domain in domains:
            up.registry.register(domain, "flint", ALDER)
        context = up.context
        account = context.registrar("flint")
        ready = [Candidate(domain, ALDER, "ready") for domain in [*domains[:15], OTHER]]
        done = await change(context, account, ready, BIRCH)
        assert [each.state for each in done] == ["changed"] * 15 + ["failed"] and "not allowed" in done[-1].why
        assert up.server.sessions == 1 and up.changes == domains[:15]  # to change and to read back
        entries = context.journal.entries(domains[0])
        assert [entry.kind for entry in entries] == ["intent", "sent", "outcome"]

        updates = 0

        def drops(verb: str, op: str) -> bool:
            nonlocal updates
            updates += verb == "update"
            return (
                verb == "update" and updates == 6
            )  # the sixth is carried out and never answered, those after it are not heard

        up.registry.trouble.drops = drops  # type: ignore[method-assign]
        up.changes.clear()
        done = await change(context, account, [Candidate(domain, ALDER, "ready") for domain in domains[15:]], BIRCH)
        assert [each.state for each in done] == ["changed"] * 15 and sorted(up.changes) == domains[15:]

    with_registry(tmp_path, work)


def test_a_deleted_domain_is_had_back_within_its_time(tmp_path: Path) -> None:
    async def work(up: Up) -> None:
        context = up.context
        account = context.registrar("flint")
        with pytest.raises(GateShut, match="not in its redemption period"):
            await restore(context, account, DOMAIN, "deleted in error")
        assert up.registry.domains.delete("flint", DOMAIN).code == epp.PENDING
        assert (await account.registration(DOMAIN)).grace == ("redemptionPeriod",)
        up.registry.trouble = Trouble(drop="restore")
        _, now = await restore(context, account, DOMAIN, "deleted in error")
        assert now.grace == () and now.statuses == ("ok",) and up.registry.domains.served(DOMAIN) == ALDER

    with_registry(tmp_path, work)


def test_name_servers_as_attributes(tmp_path: Path) -> None:
    async def work(up: Up) -> None:
        flint = up.account("flint")
        glue = ((HOST, ("198.51.100.31", "2001:db8:a1::53")), (ALDER[0], ()))
        await flint.change_nameservers(DOMAIN, [HOST], [ALDER[1]], glue)
        assert set((await flint.registration(DOMAIN)).nameservers) == {HOST, ALDER[0]}
        assert up.registry.book.hosts[HOST].addresses == ("198.51.100.31", "2001:db8:a1::53")
        with pytest.raises(OutsideFault, match="addresses for name servers below the domain"):
            await flint.change_nameservers(DOMAIN, [parse_name("ns2.kilnandclay.example.")], [ALDER[0]])
        held = await flint.host(HOST)
        assert held is not None and held.addresses == ("198.51.100.31", "2001:db8:a1::53") and held.linked
        other = parse_name("ns9.kilnandclay.example.")
        assert await flint.host(other) is None and await flint.host(parse_name("ns1.nowhere.example.")) is None
        with pytest.raises(OutsideFault, match="takes addresses with the NS set, and ns9"):
            await flint.change_host(other, ["198.51.100.31"], [], True)
        up.registry.trouble = Trouble(drop="update")
        await flint.change_host(HOST, ["203.0.113.32"], ["198.51.100.31"], False)
        assert up.registry.book.hosts[HOST].addresses == ("2001:db8:a1::53", "203.0.113.32")
        assert (await flint.registration(DOMAIN)).nameservers == tuple(sorted((HOST, ALDER[0])))

    with_registry(tmp_path, work, by_attribute=True)


def test_the_queue_keeps_what_nobody_has_taken(tmp_path: Path) -> None:
    async def work(up: Up) -> None:
        flint, slate = up.account("flint"), up.account("slate")
        for domain in (DOMAIN, OTHER):
            mine, other = (flint, slate) if domain == OTHER else (slate, flint)
            await mine.transfer(domain, "request", await other.code(domain), 0)
            await mine.transfer(domain, "cancel")
        peeked = await flint.messages(lambda message: message.about == OTHER)
        assert len(peeked) == 1 and not peeked[0].taken and peeked[0].about == DOMAIN and peeked[0].left == 2
        taken = await flint.messages(lambda message: message.about == DOMAIN)
        assert [each.taken for each in taken] == [True, True, False]
        assert await flint.messages(lambda _: True) and await flint.messages(lambda _: True) == []

    with_registry(tmp_path, work)


def test_a_new_password_counts_from_then_on(tmp_path: Path) -> None:
    async def work(up: Up) -> None:
        await up.account("flint").change_password("another-password")
        with pytest.raises(OutsideFault, match="user name or password wrong"):
            await up.account("flint").registration(DOMAIN)
        (tmp_path / "flint.password").write_text("another-password")
        assert (await up.account("flint").registration(DOMAIN)).registrar == "flint"

    with_registry(tmp_path, work)


def test_one_bad_name_among_many_stops_nobody(tmp_path: Path) -> None:
    async def work(up: Up) -> None:
        flint = up.account("flint")
        asked = [DOMAIN, parse_name("nosuch.example."), OTHER]
        found = [(domain, isinstance(each, Fault)) async for domain, each in flint.registrations(asked)]
        assert found == [(asked[0], False), (asked[1], True), (asked[2], True)]
        changes = [NsChange(asked[1], BIRCH, ALDER), NsChange(DOMAIN, BIRCH, ALDER)]
        said = [isinstance(each, Fault) async for _, each in flint.change_many(changes)]
        assert said == [True, False] and up.changes == [DOMAIN]

    with_registry(tmp_path, work)


def test_name_servers_that_the_registry_does_not_know_are_made_known_first(tmp_path: Path) -> None:
    async def work(up: Up) -> None:
        flint = up.account("flint")
        far = tuple(parse_name(f"ns{number}.rowan.test.") for number in (1, 2))
        await flint.change_nameservers(DOMAIN, far, ALDER)
        assert (await flint.registration(DOMAIN)).nameservers == far
        made = await flint.host(far[0])
        assert made is not None and made.addresses == () and made.linked
        with pytest.raises(OutsideFault, match=r"has no host ns1\.kilnandclay\.example"):
            await flint.change_nameservers(DOMAIN, [HOST], [far[0]])
        assert [each.kind for each in up.context.journal.entries(far[0])] == ["sent"]

    with_registry(tmp_path, work)


def test_another_registrars_domain_is_seen_with_its_code_alone(tmp_path: Path) -> None:
    async def work(up: Up) -> None:
        slate = up.account("slate")
        with pytest.raises(OutsideFault, match="not allowed for this registrar"):
            await slate.registration(DOMAIN)
        with pytest.raises(OutsideFault, match="authorisation code wrong"):
            await slate.registration(DOMAIN, "guess-guess")
        assert (await slate.registration(DOMAIN, up.registry.book.domains[DOMAIN].code)).registrar == "flint"
        assert await slate.code(OTHER) and up.registry.book.domains[DOMAIN].code not in str(
            await slate.registration(OTHER)
        )

    with_registry(tmp_path, work)
