/**
 * What browsers leave open about keys and buttons, settled once for the whole page: only the first button drags, and a key that is
 * held moves things until it is let go, wherever that happens.
 */

/** Keys that are held down, and where they were pressed. */
const pressed = new Map<string, EventTarget>();

/** The element hears that a key was let go which it would not hear of by itself. */
function letGo(key: string, target: EventTarget): void {
  pressed.delete(key);
  target.dispatchEvent(new KeyboardEvent("keyup", { key, bubbles: true }));
}

function letGoAll(): void {
  for (const [key, target] of pressed) letGo(key, target);
}

/** Listens from now on; called once. */
export function settleInput(): void {
  window.addEventListener(
    "pointerdown",
    (e) => {
      // The second and third button have no meaning here; a drag with them would be one by mistake.
      if (e.button > 0) e.stopImmediatePropagation();
    },
    { capture: true },
  );
  window.addEventListener(
    "keydown",
    (e) => {
      if (e.key.startsWith("Arrow") && e.target && !pressed.has(e.key)) pressed.set(e.key, e.target);
    },
    { capture: true },
  );
  window.addEventListener(
    "keyup",
    (e) => {
      const target = pressed.get(e.key);
      pressed.delete(e.key);
      if (target && target !== e.target) letGo(e.key, target);
    },
    { capture: true },
  );
  window.addEventListener("focusout", letGoAll, { capture: true });
  window.addEventListener("blur", letGoAll);
}
