/** A duration for people: "11 s", "4 min". */
export function duration(seconds: number): string {
  if (seconds < 90) return `${Math.max(1, Math.round(seconds))} s`;
  return `${Math.round(seconds / 60)} min`;
}

/** A size in bytes for people: "412 kB", "3.1 MB". */
export function bytes(count: number): string {
  if (count < 1_000_000) return `${Math.round(count / 1000)} kB`;
  return `${(count / 1_000_000).toFixed(1)} MB`;
}

/** A figure with as many digits as tell something: "12", "4.1", "0.063". */
export const amount = (figure: number) =>
  figure.toLocaleString('en', { maximumSignificantDigits: figure >= 100 ? 9 : 2 });

/** A share in per cent, with as many digits as tell something: "12.5 %", "0.063 %". The figure and its unit stay on one line. */
export const percent = (share: number) =>
  `${(100 * share).toLocaleString('en', { maximumFractionDigits: share < 0.01 ? 3 : 1 })}\u00a0%`;

export const count = (n: number, one: string, many = `${one}s`) => `${n.toLocaleString('en')} ${n === 1 ? one : many}`;

export const moment = (iso: string) =>
  new Date(iso).toLocaleString('en-GB', { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' });

// As the server tells article numbers, and those that a camera gave.
const NUMBERED = /^([a-z]{1,6}[-_ ]?\d{2,}|\d{3,})/i;
const BY_CAMERA = /^[A-Z0-9_]{4}\d{4}$/;

/** A photo's name without its ending, as it is shown; with its folder where its own name has no article number. */
export function stem(path: string): string {
  const whole = path.replace(/\.[a-z0-9]{1,5}$/i, '');
  const own = whole.slice(whole.lastIndexOf('/') + 1);
  const shown = NUMBERED.test(own) && !BY_CAMERA.test(own) ? own : whole;
  return shown.replace('_', ' ').replaceAll(/[_-](?=[a-z])/gi, ' ');
}
