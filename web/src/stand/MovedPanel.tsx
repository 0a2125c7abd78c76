import type { ObjectMove } from "../generated/ObjectMove";
import type { Project } from "../generated/Project";
import { degrees, length } from "../parts/units";
import type { Stand } from "./useStand";

/** The layer of moved objects over the scene: listed, switched, taken back. */
export function MovedPanel({ project, stand }: { project: Project; stand: Stand }) {
  const { moves } = project.settings;
  const set = (next: (now: ObjectMove[]) => ObjectMove[]) =>
    stand.settings((now) => ({ moves: next(now.moves) }));
  if (moves.length === 0)
    return (
      <p className="text-[13px] text-base-content/80">
        Every object stands where its file says. What you move is listed here; the file itself is never
        changed.
      </p>
    );
  return (
    <ul className="divide-y divide-base-300">
      {moves.map((m, i) => (
        <li
          // Moves have no numbers of their own; their order is what tells them apart.
          key={`${i}-${m.name}`}
          className="flex flex-wrap items-center gap-x-3 gap-y-1 py-1.5 text-[13px]"
          data-testid="moved"
        >
          <label className="flex min-w-0 flex-1 items-center gap-2">
            <input
              type="checkbox"
              className="checkbox checkbox-xs rounded-sm"
              checked={m.on}
              onChange={(e) => {
                const on = e.target.checked;
                set((now) => now.map((o, k) => (k === i ? { ...o, on } : o)));
              }}
            />
            <span className="truncate">
              “{m.name}” moved {length(Math.hypot(...m.by))}
              {m.turn_deg !== 0 && `, turned ${degrees(m.turn_deg)}`}
            </span>
          </label>
          <button
            type="button"
            className="btn btn-ghost btn-xs font-normal"
            onClick={() => set((now) => now.filter((_, k) => k !== i))}
          >
            Undo this move<span className="sr-only"> {m.name}</span>
          </button>
        </li>
      ))}
    </ul>
  );
}
