"""Verdicts: what the checks found, what is told beside the rest of the lot, and what a person let pass, put together."""

from collections import defaultdict

from psycopg import Connection
from pydantic import TypeAdapter

from yardchalk.core.checks import Finding, Scope, verdict_of, worst_first
from yardchalk.core.checks.allowing import Allowance, allow
from yardchalk.core.checks.finding import Place
from yardchalk.core.checks.lot import check_lot
from yardchalk.core.errors import NotThere, YardError
from yardchalk.store.queries import photo_rows, verdict_rows
from yardchalk.store.queries.rows import Row
from yardchalk.studio.context import Studio, announce

ACCEPTED = "Looked at and accepted"
_FINDINGS = TypeAdapter(list[Finding])


def judge(connection: Connection[Row], photo_ids: list[int]) -> None:
    """Write findings and verdict of done photos anew, where they changed."""
    allowances = defaultdict[int, list[Allowance]](list)
    for row in verdict_rows.allowances_for(connection, photo_ids):
        allowances[row["for_photo"]].append(_allowance(row))
    for row in verdict_rows.checked(connection, photo_ids):
        found = _FINDINGS.validate_python([*row["checked"], *row["beside"]])
        findings = worst_first(allow(found, allowances[row["id"]]))
        kept = _FINDINGS.dump_python(findings, mode="json")
        verdict = verdict_of(findings)
        if kept != row["findings"] or verdict != row["verdict"]:
            verdict_rows.set_verdict(connection, row["id"], verdict, kept, max((f.excess for f in findings if f.open), default=0.0))


def judged_for(connection: Connection[Row], photo_id: int, spec: str, found: list[Row]) -> list[Finding]:
    """What was found on a result for another listing spec than the lot's, and on the photo beside the lot's others, judged; worst first."""
    beside = [row["beside"] for row in verdict_rows.checked(connection, [photo_id])]
    allowances = [_allowance(row) for row in verdict_rows.allowances_for(connection, [photo_id], spec)]
    return worst_first(allow(_FINDINGS.validate_python([*found, *(one for some in beside for one in some)]), allowances))


def judge_lot(studio: Studio, lot_id: int) -> None:
    """Look at the photos of a lot beside each other, once none is waiting any more."""
    with studio.transaction() as connection:
        if not verdict_rows.hold_if_settled(connection, lot_id):
            return
        rows = verdict_rows.figures(connection, lot_id)
        changed = []
        for row, found in zip(rows, check_lot([row["figures"] for row in rows]), strict=True):
            beside = _FINDINGS.dump_python(found, mode="json")
            if beside != row["beside"]:
                verdict_rows.set_beside(connection, row["id"], beside)
                changed.append(row["id"])
        judge(connection, changed)
        if changed:
            announce(connection, lot_id)


def allow_finding(studio: Studio, photo_id: int, number: int, message: str, scope: Scope, reason: str) -> None:
    """Let one finding of a photo pass: `number` in its list; `message` says which one was meant, if the list has changed."""
    with studio.transaction() as connection:
        row = _done(connection, photo_id)
        findings = _FINDINGS.validate_python(row["findings"])
        if not (0 <= number < len(findings) and findings[number].message == message):
            raise YardError("was checked anew meanwhile", where=row["name"], remedy="Look at its findings again")
        verdict_rows.add_allowance(
            connection, row, findings[number].model_dump(mode="json"), findings[number].excess, scope, reason.strip()
        )
        _judge_all(connection, row["lot_id"], photo_id, row["spec"], scope)


def allow_alike(studio: Studio, lot_id: int, photo_ids: list[int], check: str, reason: str) -> int:
    """Let all findings of a check pass in these photos; how many findings that were."""
    count = 0
    with studio.transaction() as connection:
        for row in photo_rows.photos(connection, lot_id, photo_ids):
            full = _done(connection, row["id"]) if row["state"] == "done" else None
            for finding in _FINDINGS.validate_python(full["findings"]) if full else []:
                if full and finding.check == check and finding.open:
                    verdict_rows.add_allowance(connection, full, finding.model_dump(mode="json"), finding.excess, "photo", reason.strip())
                    count += 1
        judge(connection, photo_ids)
        announce(connection, lot_id)
    return count


def accept(studio: Studio, photo_id: int) -> None:
    """A person looked at a photo and takes it as it is. What is to be fixed must be mended or allowed first, with a reason."""
    with studio.transaction() as connection:
        row = _done(connection, photo_id)
        findings = [finding for finding in _FINDINGS.validate_python(row["findings"]) if finding.open]
        to_fix = sum(finding.severity == "fix" for finding in findings)
        if to_fix:
            raise YardError(
                f"has {to_fix} finding{'' if to_fix == 1 else 's'} to fix", where=row["name"], remedy="Mend or allow them, then accept it"
            )
        for finding in findings:
            verdict_rows.add_allowance(connection, row, finding.model_dump(mode="json"), finding.excess, "photo", ACCEPTED)
        judge(connection, [photo_id])
        announce(connection, row["lot_id"], photo_id)


def withdraw(studio: Studio, allowance_id: int) -> None:
    """Take an allowance back: what it let pass counts again."""
    with studio.transaction() as connection:
        row = verdict_rows.remove_allowance(connection, allowance_id)
        if row is None:
            raise NotThere("is not there any more", where="The allowance", remedy="Look at the findings again")
        _judge_all(connection, row["lot_id"], row["photo_id"], row["spec"], row["scope"])


def allowances(studio: Studio, lot_id: int) -> list[Row]:
    """What is let pass in a lot: for single photos, for the lot, and by its listing spec; each with how many findings it serves."""
    with studio.transaction() as connection:
        return verdict_rows.allowances_of_lot(connection, lot_id)


def _judge_all(connection: Connection[Row], lot_id: int | None, photo_id: int | None, spec: str | None, scope: Scope) -> None:
    """Judge all photos that an allowance is about."""
    if scope == "photo":
        photos = {int(lot_id or 0): [int(photo_id or 0)]}
    else:
        lots = [int(lot_id or 0)] if scope == "lot" else verdict_rows.lots_with_spec(connection, spec or "")
        photos = {lot: [row["id"] for row in photo_rows.photos(connection, lot)] for lot in lots}
    for lot, ids in photos.items():
        judge(connection, ids)
        announce(connection, lot, photo_id)


def _done(connection: Connection[Row], photo_id: int) -> Row:
    row = photo_rows.photo(connection, photo_id)
    if row is None:
        raise NotThere("is not there", where=f"Photo {photo_id}", remedy="Go back to the lots")
    if row["state"] != "done":
        raise YardError("is not checked yet", where=row["name"], remedy="Wait until it has been run")
    return row


def _allowance(row: Row) -> Allowance:
    place = None if row["place"] is None else Place.model_validate(row["place"])
    return Allowance(row["id"], row["scope"], row["check_name"], row["excess"], place, row["reason"])
