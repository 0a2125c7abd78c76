import { useEffect, useRef, useState } from "react";

/**
 * Loads something for a key that may change faster than it can be loaded: one request at a time, and always
 * the newest key next. Gives what came last, which may belong to an older key.
 */
export function useLatest<K, T>(
  key: K | null,
  load: (key: K) => Promise<T>,
  /** Least time between two requests, milliseconds: others need the machine too. */
  pause = 0,
): { value: T | null; problem: unknown } {
  const [state, setState] = useState<{ value: T | null; problem: unknown }>({ value: null, problem: null });
  const text = JSON.stringify(key);
  const wanted = useRef<string | null>(null);
  const busy = useRef(false);
  const loader = useRef(load);
  useEffect(() => {
    loader.current = load;
  });
  useEffect(() => {
    wanted.current = key === null ? null : text;
    if (busy.current || wanted.current === null) return;
    const run = async () => {
      busy.current = true;
      let asked: string | null = null;
      while (wanted.current !== null && wanted.current !== asked) {
        asked = wanted.current;
        try {
          const value = await loader.current(JSON.parse(asked) as K);
          setState({ value, problem: null });
        } catch (problem) {
          setState((before) => ({ ...before, problem }));
        }
        if (pause > 0) await new Promise((r) => setTimeout(r, pause));
      }
      busy.current = false;
    };
    void run();
    // The text stands for the key by value.
    // oxlint-disable-next-line react-hooks/exhaustive-deps
  }, [text]);
  return state;
}
