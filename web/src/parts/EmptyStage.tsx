import type { ReactNode } from "react";

/** A stage that has nothing to show yet, and the way on. */
export function EmptyStage({
  title,
  children,
  action,
  onAction,
}: {
  title: string;
  children: ReactNode;
  action: string;
  onAction: () => void;
}) {
  return (
    <div className="mx-auto mt-16 max-w-md text-center">
      <h1 className="mb-2 text-2xl">{title}</h1>
      <p className="mb-4 text-base-content/80">{children}</p>
      <button type="button" className="btn btn-primary" onClick={onAction}>
        {action}
      </button>
    </div>
  );
}
