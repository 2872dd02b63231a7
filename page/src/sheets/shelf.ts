import type { Shelved } from '../api/client';

/** Of each name the newest version, in the order of the shelf. */
export const newestOf = (all: Shelved[]): Shelved[] =>
  all.filter((one, i) => all.findIndex((other) => other.name === one.name) === i);

/** What a version is called: its title, and its number where there are several. */
export const called = (one: Shelved) => (one.version > 1 ? `${one.title}, version ${one.version}` : one.title);

/** The options of a choice: the newest versions, and the one in force if it is an older one. */
export const optionsOf = (all: Shelved[], inForce: string): Shelved[] => {
  const newest = newestOf(all);
  const older = newest.some((one) => one.ref === inForce) ? undefined : all.find((one) => one.ref === inForce);
  return older ? [older, ...newest] : newest;
};

/** What is in force most often: the one to show first. */
export const mostUsed = (all: Shelved[]) =>
  all.reduce<Shelved | undefined>((best, one) => (one.used > (best?.used ?? -1) ? one : best), undefined);
