import { useEffect } from 'react';

/** A value moved by a key: arrows by one step, with Shift by ten, Home and End to the ends; null for other keys. */
export function steppedBy(
  event: { key: string; shiftKey: boolean },
  value: number,
  least: number,
  most: number,
  by = 1,
): number | null {
  const step = event.shiftKey ? 10 * by : by;
  const to = {
    ArrowLeft: value - step,
    ArrowDown: value - step,
    ArrowRight: value + step,
    ArrowUp: value + step,
    Home: least,
    End: most,
  }[event.key];
  return to === undefined ? null : Math.min(most, Math.max(least, to));
}

/** What Enter and Space press by themselves. */
const pressed = (target: EventTarget | null) =>
  target instanceof HTMLElement && target.closest('button, a, summary, [role=button]') !== null;

const typing = (target: EventTarget | null) =>
  target instanceof HTMLElement && (target.isContentEditable || /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName));

/**
 * What a key is called here: as KeyboardEvent.key in lower case. By its place on the keyboard where a letter is not of
 * the Latin alphabet, so that the keys of the page are there with a Greek or Cyrillic keyboard, too.
 */
const keyName = (event: KeyboardEvent) =>
  (/^[^\0-\x7f]$/.test(event.key) && /^Key([A-Z])$/.exec(event.code)?.[1]?.toLowerCase()) || event.key.toLowerCase();

/** The digit of a key that says another sign without Shift, as on a French keyboard. */
const digit = (event: KeyboardEvent) => (event.shiftKey ? null : /^Digit(\d)$/.exec(event.code))?.[1];

/** Keys of the page, unless something is being typed. Names as in KeyboardEvent.key, lower case, "ctrl+" and "shift+" before. */
export function useKeys(down: Record<string, () => void>, up: Record<string, () => void> = {}) {
  useEffect(() => {
    const named = (event: KeyboardEvent) =>
      (event.ctrlKey || event.metaKey ? 'ctrl+' : '') + (event.shiftKey ? 'shift+' : '') + keyName(event);
    const onDown = (event: KeyboardEvent) => {
      if (typing(event.target) || event.altKey || event.defaultPrevented) return;
      if ((event.key === 'Enter' || event.key === ' ') && pressed(event.target)) return;
      const plain = !(event.ctrlKey || event.metaKey);
      const act = down[named(event)] ?? (plain ? (down[event.key] ?? down[digit(event) ?? '']) : undefined);
      if (!act) return;
      event.preventDefault();
      if (!event.repeat || event.key.startsWith('Arrow')) act();
    };
    const onUp = (event: KeyboardEvent) => up[keyName(event)]?.();
    window.addEventListener('keydown', onDown);
    window.addEventListener('keyup', onUp);
    return () => {
      window.removeEventListener('keydown', onDown);
      window.removeEventListener('keyup', onUp);
    };
  });
}
