const DAY = 86_400_000;

/** In whole days from today until a day of the calendar (YYYY-MM-DD); negative if it is over. */
const daysUntil = (day: string) => {
  const now = new Date();
  const today = Date.UTC(now.getFullYear(), now.getMonth(), now.getDate());
  return Math.round((Date.parse(day) - today) / DAY);
};

/** When something is due, for people: "due today", "due Thu 3 Dec", "2 days late"; and whether that is soon or over. */
export function dueWords(day: string): { words: string; standing: 'over' | 'soon' | 'later' } {
  const days = daysUntil(day);
  if (days < 0) return { words: days === -1 ? '1 day late' : `${-days} days late`, standing: 'over' };
  if (days === 0) return { words: 'due today', standing: 'soon' };
  if (days === 1) return { words: 'due tomorrow', standing: 'soon' };
  return { words: `due ${dayWords(day)}`, standing: 'later' };
}

/** A day of the calendar, for people: "Thu 3 Dec", with its year where that is far off. */
export const dayWords = (day: string) =>
  new Date(day).toLocaleDateString('en-GB', {
    timeZone: 'UTC',
    weekday: 'short',
    day: 'numeric',
    month: 'short',
    ...(Math.abs(daysUntil(day)) > 300 && { year: 'numeric' }),
  });
