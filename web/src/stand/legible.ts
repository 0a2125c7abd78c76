/** A name at a place, percent of the picture. */
export interface Named {
  left: number;
  top: number;
  text: string;
  /** Whether the name stands to the left of its sign. */
  turned: boolean;
}

/** Mean width of a letter at 11 px, and what a name has besides, pixels. */
const LETTER = 6.1;
const BESIDE = 26;
const WIDEST = 186;
const LINE = 17;

/** Which names can be read: each stands where no earlier one does; the others keep their sign alone. */
export function legible(names: Named[], size: { w: number; h: number }): boolean[] {
  const taken: [number, number, number, number][] = [];
  return names.map(({ left, top, text, turned }) => {
    const wide = Math.min(WIDEST, BESIDE + LETTER * text.length);
    const x = (left / 100) * size.w - (turned ? wide - 7 : 7);
    const y = (top / 100) * size.h - LINE / 2;
    const free = taken.every(([a, b, c, d]) => x + wide < a || x > c || y + LINE < b || y > d);
    if (free) taken.push([x, y, x + wide, y + LINE]);
    return free;
  });
}
