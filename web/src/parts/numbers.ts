/** What a number field takes. */
export interface Limits {
  min: number | undefined;
  max: number | undefined;
  unit: string;
}

/** The typed number, or a sentence about what is refused and what to type instead. */
export function typedNumber(text: string, limits: Limits): number | string {
  const plain = text.trim().replace(",", ".");
  const value = plain === "" ? Number.NaN : Number(plain);
  if (!Number.isFinite(value)) return `This is no number. Type ${wanted(limits)}.`;
  if ((limits.min ?? value) > value || (limits.max ?? value) < value) return `Type ${wanted(limits)}.`;
  return value;
}

function wanted({ min, max, unit }: Limits): string {
  const tell = (v: number) => String(Number(v.toPrecision(6)));
  const behind = unit === "" ? "" : ` ${unit}`;
  if (min !== undefined && max !== undefined) return `a number from ${tell(min)} to ${tell(max)}${behind}`;
  if (min !== undefined) return `a number of at least ${tell(min)}${behind}`;
  if (max !== undefined) return `a number of at most ${tell(max)}${behind}`;
  return `a number${unit === "" ? "" : ` (${unit})`}`;
}

/** One step up or down, kept within the limits and free of the rounding of many steps. */
export function stepped(value: number, by: number, { min, max }: Limits): number {
  const next = Number((value + by).toFixed(6));
  return Math.min(max ?? next, Math.max(min ?? next, next));
}

/** Whether a form holds something that was refused; the first such field gets the focus. */
export function refused(form: HTMLFormElement): boolean {
  const field = form.querySelector<HTMLElement>("[aria-invalid=true]");
  // A closed section would hide why nothing happens.
  for (let at = field?.closest("details"); at; at = at.parentElement?.closest("details")) at.open = true;
  field?.focus();
  return field !== null;
}
