import type { BroughtPicture } from "../generated/BroughtPicture";

/** A face's place on the table: what lies there, and by how many quarters it was turned back. */
export interface Laid {
  picture: BroughtPicture | null;
  quarters: number;
}
