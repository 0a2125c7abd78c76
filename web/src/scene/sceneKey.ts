import type { SceneSummary } from "../generated/SceneSummary";

const known = new WeakMap<SceneSummary, string>();

/** A text that is another one for another scene, though its file may have the same name: for whatever was asked about a scene. */
export function sceneKey(scene: SceneSummary): string {
  let key = known.get(scene);
  if (key === undefined) {
    key = JSON.stringify({ ...scene, objects: scene.objects.length });
    known.set(scene, key);
  }
  return key;
}
