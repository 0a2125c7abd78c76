import { useState } from "react";
import type { Project } from "../generated/Project";
import { count, length } from "../parts/units";

/** All objects of a scene, found by their names. */
export function ObjectTable({ objects }: { objects: Project["scene"]["objects"] }) {
  const [find, setFind] = useState("");
  const shown = objects.filter((o) => o.name.toLowerCase().includes(find.toLowerCase()));
  return (
    <>
      <label className="input input-sm w-64 bg-base-100">
        <input
          type="search"
          placeholder="Find an object"
          value={find}
          onChange={(e) => setFind(e.target.value)}
          aria-label="Find an object"
        />
      </label>
      <div
        className="scrolls min-h-0 flex-1 rounded-box border border-base-300"
        tabIndex={0}
        role="region"
        aria-label="Objects"
      >
        <table className="table table-xs">
          <thead className="sticky top-0 bg-base-200 text-base-content/80">
            <tr>
              <th>Object</th>
              <th>Material</th>
              <th className="text-right">Triangles</th>
              <th className="text-right">Largest side</th>
            </tr>
          </thead>
          <tbody>
            {shown.slice(0, 500).map((o, i) => (
              <tr key={`${o.name}-${i}`}>
                <td>
                  {o.name}
                  {o.light && (
                    <span className="ml-2 rounded-full bg-warning/25 px-1.5 text-xs text-base-content">
                      gives light
                    </span>
                  )}
                </td>
                <td className="text-base-content/80">{o.material}</td>
                <td className="text-right">{count(o.triangles)}</td>
                <td className="text-right">{length(Math.max(...o.size))}</td>
              </tr>
            ))}
          </tbody>
        </table>
        {shown.length > 500 && (
          <p className="p-2 text-xs">{count(shown.length - 500)} more; narrow the search.</p>
        )}
      </div>
    </>
  );
}
