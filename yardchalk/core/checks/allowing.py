"""Findings that a person lets pass: for one photo, for the like in its lot, or wherever a listing spec is in force."""

from dataclasses import dataclass

from yardchalk.core.checks.finding import Allowed, Finding, Place, Scope

_MORE = 1.05  # times as far off the limit as what was allowed: a new run may measure a little more
_OVERLAP = 0.3  # intersection over union of two places that are the same


@dataclass(frozen=True)
class Allowance:
    """What is let pass: a check's findings up to how far off the limit, in one place or anywhere.

    Attributes
    ----------
    excess : see `Finding.excess`.
    place : for one photo, where it was found; None if it has no place.
    """

    id: int
    scope: Scope
    check: str
    excess: float
    place: Place | None
    reason: str


def allow(findings: list[Finding], allowances: list[Allowance]) -> list[Finding]:
    """The findings, each marked with the first allowance that lets it pass, or with none."""
    out = []
    for finding in findings:
        by = next((one for one in allowances if lets_pass(one, finding)), None)
        allowed = None if by is None else Allowed(id=by.id, scope=by.scope, reason=by.reason)
        out.append(finding.model_copy(update={"allowed": allowed}))
    return out


def lets_pass(allowance: Allowance, finding: Finding) -> bool:
    """Whether a finding is of that kind, no farther off, and, for one photo, in the same place."""
    if finding.check != allowance.check or finding.excess > _MORE * allowance.excess:
        return False
    return allowance.scope != "photo" or _same(allowance.place, finding.place)


def _same(a: Place | None, b: Place | None) -> bool:
    if a is None or b is None:
        return a is b
    (ax, ay, aw, ah), (bx, by, bw, bh) = a.original, b.original
    across = min(ax + aw, bx + bw) - max(ax, bx)
    down = min(ay + ah, by + bh) - max(ay, by)
    both = max(across, 0) * max(down, 0)
    return both >= _OVERLAP * max(aw * ah + bw * bh - both, 1)
