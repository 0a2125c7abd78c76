import { useEffect, useRef, useState } from "react";

interface Props {
  /** What the button does, in a word. */
  label: string;
  /** What will happen, as a question. */
  question: string;
  /** What cannot be undone is asked before it is done. */
  onConfirm: () => void;
  disabled?: boolean;
  className?: string;
  ariaLabel?: string;
}

/** A button for what cannot be undone: it asks once, in its own place, before it does it. */
export function ConfirmButton({ label, question, onConfirm, disabled, className = "", ariaLabel }: Props) {
  const [asking, setAsking] = useState(false);
  const keep = useRef<HTMLButtonElement>(null);
  const button = useRef<HTMLButtonElement>(null);
  const answered = useRef(false);
  useEffect(() => {
    // The harmless answer has the focus; afterwards the button has it again.
    if (asking) keep.current?.focus();
    else if (answered.current) button.current?.focus();
    answered.current = asking;
  }, [asking]);
  useEffect(
    () => () => {
      // What was removed takes its button with it: the keyboard goes on in the page, not at its start.
      setTimeout(() => {
        if (document.activeElement === document.body) document.querySelector("main")?.focus();
      });
    },
    [],
  );
  if (!asking) {
    return (
      <button
        ref={button}
        type="button"
        className={`btn btn-ghost font-normal text-error ${className}`}
        disabled={disabled}
        aria-label={ariaLabel}
        onClick={() => setAsking(true)}
      >
        {label}
      </button>
    );
  }
  return (
    <span
      className="inline-flex flex-wrap items-center gap-1.5 rounded-field bg-base-200 px-2 py-1 text-xs"
      role="alertdialog"
      aria-label={question}
    >
      {question}
      <button
        type="button"
        className="btn btn-xs btn-error"
        onClick={() => {
          setAsking(false);
          onConfirm();
        }}
      >
        {label}
      </button>
      <button
        ref={keep}
        type="button"
        className="btn btn-xs font-normal"
        onClick={() => setAsking(false)}
        onKeyDown={(e) => e.key === "Escape" && setAsking(false)}
      >
        Keep
      </button>
    </span>
  );
}
