import { useEffect } from 'react';

const AGAIN_MS = 45_000;

/** While a photo is at the bench, runs of its lot leave it alone; the server is told every now and then that it still is. */
export function useHold(photoId: number) {
  useEffect(() => {
    const address = `/api/photos/${photoId}/hold`;
    // What is lost on the way is said again; a hold that is never ended runs out by itself.
    const say = (method: 'PUT' | 'DELETE') => void fetch(address, { method, keepalive: true }).catch(() => null);
    const hold = () => say('PUT');
    const letGo = () => say('DELETE');
    hold();
    const timer = setInterval(hold, AGAIN_MS);
    addEventListener('pagehide', letGo);
    return () => {
      clearInterval(timer);
      removeEventListener('pagehide', letGo);
      letGo();
    };
  }, [photoId]);
}
