import type { Project } from "../generated/Project";

/** A name that no viewpoint has. */
export function freeName(project: Project): string {
  const taken = new Set(project.viewpoints.map((v) => v.name));
  let n = project.viewpoints.length + 1;
  while (taken.has(`Viewpoint ${n}`)) n++;
  return `Viewpoint ${n}`;
}

/** A short number for a text, so that addresses of pictures change with the scene. */
export function hash(text: string): number {
  let h = 0;
  for (let i = 0; i < text.length; i++) h = (h * 31 + text.charCodeAt(i)) | 0;
  return h >>> 0;
}
