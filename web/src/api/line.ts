/**
 * The line of events from the server. A browser opens few lines to one server, so all windows share one: whoever holds the lock has
 * it and passes on what it hears; when that window is closed, the next one takes over.
 */

/** What is told over the line, and what the line tells of itself. */
export type Told = { kind: "lost" | "back" } | { kind: string };

const NAME = "owl-dome events";
/** Milliseconds after which a line is opened again that the browser has given up. */
const AGAIN_MS = 3000;

/** Keeps a line open and tells what it hears; ends it when it is called. */
function open(hear: (told: Told) => void): () => void {
  let line: EventSource;
  let timer: ReturnType<typeof setTimeout> | undefined;
  const begin = () => {
    line = new EventSource("/api/events");
    line.addEventListener("open", () => hear({ kind: "back" }));
    line.addEventListener("message", (message: MessageEvent<string>) =>
      hear(JSON.parse(message.data) as Told),
    );
    line.addEventListener("error", () => {
      hear({ kind: "lost" });
      // The browser tries again by itself, but not after an answer that is no line.
      if (line.readyState === EventSource.CLOSED) timer = setTimeout(begin, AGAIN_MS);
    });
  };
  begin();
  return () => {
    clearTimeout(timer);
    line.close();
  };
}

/** Hears everything that the server tells, together with the other windows. */
export function follow(hear: (told: Told) => void): () => void {
  // Only there where the page came safely; a page from another machine has a line of its own.
  const locks = navigator.locks as LockManager | undefined;
  if (!locks) return open(hear);
  const others = new BroadcastChannel(NAME);
  others.addEventListener("message", (message: MessageEvent<Told>) => hear(message.data));
  const gone = new AbortController();
  let close: (() => void) | undefined;
  const hold = () =>
    new Promise<void>((resolve) => {
      const end = open((told) => {
        hear(told);
        others.postMessage(told);
      });
      close = () => {
        end();
        resolve();
      };
      if (gone.signal.aborted) close();
    });
  locks.request(NAME, { signal: gone.signal }, hold).catch((e: unknown) => {
    if (!gone.signal.aborted) throw e;
  });
  return () => {
    gone.abort();
    close?.();
    others.close();
  };
}
