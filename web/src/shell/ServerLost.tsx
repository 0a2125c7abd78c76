import { usePresence } from "../api/presence";
import { Mark } from "../parts/Mark";

/** Says over everything that the server does not answer; it goes by itself when it does. */
export function ServerLost() {
  const { lost } = usePresence();
  if (!lost) return null;
  return (
    <div
      role="alert"
      data-testid="server-lost"
      className="fixed inset-x-0 bottom-4 z-50 mx-auto w-fit max-w-[90vw] rounded-box border border-base-300 bg-base-100 px-4 py-2 text-sm shadow-lg"
    >
      <Mark kind="stop">
        <span className="text-base-content">
          The server does not answer. What you see may be out of date, and what you change now is not kept;
          see whether it is still running. This goes away when it answers.
        </span>
      </Mark>
    </div>
  );
}
