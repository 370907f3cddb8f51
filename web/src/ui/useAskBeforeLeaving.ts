import { useEffect } from 'react';

/** Whoever leaves while something is on its way is asked first: it would be lost. */
export function useAskBeforeLeaving(isOnItsWay: boolean): void {
  useEffect(() => {
    if (!isOnItsWay) return;
    const ask = (event: BeforeUnloadEvent) => event.preventDefault();
    window.addEventListener('beforeunload', ask);
    return () => window.removeEventListener('beforeunload', ask);
  }, [isOnItsWay]);
}
