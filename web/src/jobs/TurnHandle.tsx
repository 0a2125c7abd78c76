import { useState } from "react";

/** The job whose row is at a place of the window. */
const jobAt = (x: number, y: number): number => {
  const row = document.elementFromPoint(x, y)?.closest<HTMLElement>("[data-job]");
  return Number(row?.dataset["job"] ?? 0);
};

/** Moves a job to another turn: dragged onto another one, or by arrow keys. */
export function TurnHandle({
  label,
  words,
  onStep,
  onDrop,
}: {
  label: string;
  words: string;
  /** One turn earlier (-1) or later (1). */
  onStep: (by: number) => void;
  /** Let go over another job. */
  onDrop: (onto: number) => void;
}) {
  const [dragged, setDragged] = useState(false);
  return (
    <button
      type="button"
      className={`btn btn-xs touch-none font-normal ${dragged ? "btn-secondary cursor-grabbing" : "btn-ghost cursor-grab"}`}
      aria-label={label}
      title="Drag it onto another order, or use arrow keys"
      onPointerDown={(e) => {
        e.currentTarget.setPointerCapture(e.pointerId);
        setDragged(true);
      }}
      onPointerUp={(e) => {
        setDragged(false);
        const onto = jobAt(e.clientX, e.clientY);
        if (onto > 0) onDrop(onto);
      }}
      onPointerCancel={() => setDragged(false)}
      onKeyDown={(e) => {
        const by = { ArrowUp: -1, ArrowLeft: -1, ArrowDown: 1, ArrowRight: 1 }[e.key];
        if (by === undefined) return;
        e.preventDefault();
        onStep(by);
      }}
    >
      {words}
    </button>
  );
}
