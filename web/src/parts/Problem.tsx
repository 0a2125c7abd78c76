import { Mark } from "./Mark";

/** One sentence about what went wrong. */
export function Problem({ error }: { error: unknown }) {
  if (!error) return null;
  const text = error instanceof Error ? error.message : "Something went wrong; try it again.";
  return (
    <p role="alert" className="rounded-lg border border-error/50 bg-error/10 px-3 py-2 text-sm">
      <Mark kind="stop">
        <span className="text-base-content">{text}</span>
      </Mark>
    </p>
  );
}
