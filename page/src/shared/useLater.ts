import { useEffect, useState } from 'react';

/** A value once it has stood for a while, ms: for what may be measured after the picture is seen. */
export function useLater<T>(value: T, wait = 400): T {
  const [late, setLate] = useState(value);
  useEffect(() => {
    const timer = window.setTimeout(() => setLate(value), wait);
    return () => window.clearTimeout(timer);
  }, [value, wait]);
  return late;
}
