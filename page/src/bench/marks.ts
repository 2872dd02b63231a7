import type { Photo } from '../api/client';

/** A photo's own settings, its departures from the run sheet. */
export type Marks = Photo['marks'];
export type LiftMarks = Marks['lift'];
export type BalanceMarks = NonNullable<Marks['balance']>;

/** Just what is set, in one order, so that the same marks are the same text. */
export function textOf(marks: Marks): string {
  const balance = marks.balance ? filled(marks.balance) : undefined;
  const lift = filled(marks.lift);
  return JSON.stringify({ ...(balance && { balance }), ...(Object.keys(lift).length && { lift }) });
}

function filled(settings: object): Record<string, unknown> {
  const set = Object.entries(settings).filter(([, value]) => value !== null && value !== undefined);
  return Object.fromEntries(set.sort(([a], [b]) => a.localeCompare(b)));
}

/** The marks with some of Lift's settings changed; null takes a setting back to the run sheet's. */
export const withLift = (marks: Marks, change: Partial<LiftMarks>): Marks => ({
  ...marks,
  lift: { ...marks.lift, ...change },
});

export const withBalance = (marks: Marks, balance: BalanceMarks | null): Marks => ({ ...marks, balance });
