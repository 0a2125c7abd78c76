import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../api/client";
import { ended, keys } from "../api/changes";
import type { BroughtPicture } from "../generated/BroughtPicture";
import { Choice } from "../parts/Choice";
import { Mark } from "../parts/Mark";
import { Problem } from "../parts/Problem";
import { FoldedCube } from "./FoldedCube";
import type { Laid } from "./laid";
import { FACES, FORMATS, flatOf, keeping } from "./pictures";

/** Where the faces lie in the cross: column and row. */
const CELLS: readonly (readonly [number, number])[] = [
  [1, 2],
  [2, 2],
  [3, 2],
  [4, 2],
  [2, 1],
  [2, 3],
];

const SAID: Record<string, string> = {
  words: "The names say which face is which.",
  "short words": "The names say which face is which.",
  letters: "The letters in the names say which face is which.",
  axes: "The axes in the names say which face is which.",
  edges:
    "The names do not say which face is which; their edges do. See that they meet, swap and turn faces if not.",
  numbers:
    "Neither the names nor the edges say which face is which. This is a guess by their order: see that edges meet, swap and turn faces until they do.",
};

interface Props {
  ids: number[];
  pictures: BroughtPicture[];
  onDone: (id: number) => void;
  onLeave: () => void;
}

/** Six square pictures become a sphere: who is which face, corrected by swapping and turning. */
export function AssemblyTable({ ids, pictures, onDone, onLeave }: Props) {
  const queries = useQueryClient();
  const [changed, setLaid] = useState<Laid[] | null>(null);
  const [held, setHeld] = useState<number | null>(null);
  const [chosen, setFormat] = useState<string | null>(null);
  const guess = useQuery({
    queryKey: ["guess", ids],
    queryFn: () => api.faceGuess(ids),
    staleTime: Infinity,
  });
  const find = (id: number | null) => pictures.find((p) => p.id === id) ?? null;
  // A face that is turned clockwise is turned back by the rest of the circle.
  const guessed = guess.data?.faces.map((id, i): Laid => ({
    picture: find(id),
    quarters: (4 - (guess.data.turns[i] ?? 0)) % 4,
  }));
  const laid = changed ?? guessed;
  const first = laid?.find((l) => l.picture)?.picture;
  const format = chosen ?? (first ? keeping(first) : "png");
  const make = useMutation({
    mutationFn: async (faces: Laid[]) => {
      const job = await api.assemble({
        faces: faces.map((l) => ({
          picture: l.picture?.id ?? null,
          turns: (4 - l.quarters) % 4,
        })) as Parameters<typeof api.assemble>[0]["faces"],
        width: 0,
        format,
      });
      return ended(job);
    },
    onSuccess: async (job) => {
      if (!job) return;
      await queries.invalidateQueries({ queryKey: keys.pictures });
      onDone(job.makes);
    },
  });

  if (guess.error) {
    return (
      <div className="max-w-xl">
        <Problem error={guess.error} />
        <button type="button" className="btn btn-sm mt-3" onClick={onLeave}>
          Back to the pictures
        </button>
      </div>
    );
  }
  if (!laid) return <p className="text-sm">Reading the names …</p>;

  const take = (at: number) => {
    if (held === null) return setHeld(at);
    if (held !== at) {
      setLaid(laid.map((l, i) => (i === at ? laid[held] : i === held ? laid[at] : l) ?? l));
    }
    setHeld(null);
  };
  const turn = (at: number) =>
    setLaid(laid.map((l, i) => (i === at ? { ...l, quarters: (l.quarters + 1) % 4 } : l)));
  const missing = FACES.filter((_, i) => !laid[i]?.picture);
  const sure = guess.data?.certain ?? false;

  return (
    <div className="flex flex-col gap-3" data-testid="assembly">
      <div className="flex items-center gap-4">
        <h2 className="flex-1 text-xl">Assemble cube faces</h2>
        <button type="button" className="btn btn-ghost btn-sm font-normal" onClick={onLeave}>
          Cancel
        </button>
      </div>
      <p className="max-w-3xl text-sm">
        <Mark kind={sure ? "fine" : "look"} /> {SAID[guess.data?.by ?? ""] ?? ""}
        {guess.data?.confidence != null &&
          ` ${(guess.data.confidence * 100).toFixed(0)} % sure: steps of ${guess.data.steps_percent?.[0].toFixed(1)} % of white between neighbours, ${guess.data.steps_percent?.[1].toFixed(1)} % in the next best way.`}
        {missing.length > 0 && ` Missing: ${missing.join(", ")}; it stays empty.`}
      </p>
      <div className="flex flex-wrap items-start gap-6 min-[1200px]:flex-nowrap">
        <div className="grid w-full max-w-[37.75rem] grid-cols-4 gap-1">
          {FACES.map((face, i) => {
            const [column, row] = CELLS[i] ?? [1, 1];
            const l = laid[i];
            return (
              <div
                key={face}
                className={`mid-grey group relative aspect-square overflow-hidden rounded-sm ${held === i ? "outline-3 outline-secondary" : ""}`}
                style={{ gridColumn: column, gridRow: row }}
              >
                <button
                  type="button"
                  className="size-full"
                  aria-pressed={held === i}
                  aria-label={`${face}: ${l?.picture?.file ?? "empty"}. Swap it with another`}
                  data-face={face}
                  onClick={() => take(i)}
                >
                  {l?.picture && (
                    <img
                      src={flatOf(l.picture)}
                      alt=""
                      draggable={false}
                      className="size-full object-cover"
                      style={{ transform: `rotate(${l.quarters * 90}deg)` }}
                    />
                  )}
                </button>
                <span className="pointer-events-none absolute top-1 left-1 rounded-sm bg-[#262a33]/80 px-1.5 text-xs text-[#f5f0e6]">
                  {face}
                </span>
                <button
                  type="button"
                  className="absolute right-1 bottom-1 rounded-sm bg-[#262a33]/80 px-1.5 text-xs text-[#f5f0e6]"
                  aria-label={`Turn ${face} clockwise by a quarter`}
                  onClick={() => turn(i)}
                >
                  turn
                </button>
              </div>
            );
          })}
        </div>
        <div className="flex w-80 flex-col gap-3">
          <FoldedCube laid={laid} />
          <p className="text-xs text-base-content/75">
            The cube from inside; drag to look round. Choose two faces to swap them; a turn goes clockwise by
            a quarter.
          </p>
          <div className="flex items-end gap-3">
            <Choice label="Save as" value={format} options={FORMATS} onChange={setFormat} />
            <button
              type="button"
              className="btn btn-primary btn-sm"
              disabled={make.isPending}
              data-testid="assemble"
              onClick={() => make.mutate(laid)}
            >
              {make.isPending ? "Making the sphere …" : "Make the sphere"}
            </button>
          </div>
          <Problem error={make.error} />
        </div>
      </div>
    </div>
  );
}
