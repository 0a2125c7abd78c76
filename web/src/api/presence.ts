import { useSyncExternalStore } from "react";

/** Whether the server answers, and how often it has come back. */
interface Presence {
  lost: boolean;
  returns: number;
}

let now: Presence = { lost: false, returns: 0 };
const listeners = new Set<() => void>();

/** The line to the server was lost, or is there again. */
export function tellPresence(lost: boolean): void {
  if (lost === now.lost) return;
  now = { lost, returns: now.returns + (lost ? 0 : 1) };
  for (const listener of listeners) listener();
}

const listen = (listener: () => void) => {
  listeners.add(listener);
  return () => listeners.delete(listener);
};

/** Follows whether the server answers. */
export const usePresence = (): Presence => useSyncExternalStore(listen, () => now);
