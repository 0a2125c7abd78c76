import { useState } from "react";
import { ShapeDrawing } from "./ShapeDrawing";
import { SHAPE_GROUPS, shapeName, type ShapeOffer } from "./shapes";

/** Chooses the shape of a picture by what it is for. */
export function ShapeChooser({
  shape,
  onChange,
  files = false,
}: {
  shape: string;
  onChange: (to: ShapeOffer) => void;
  /** Whether a cube may be six files. */
  files?: boolean;
}) {
  const [open, setOpen] = useState(false);
  return (
    <div className="col-span-2 rounded-field border border-base-300">
      <button
        type="button"
        aria-expanded={open}
        data-testid="shape"
        className="flex w-full items-center gap-2 px-2 py-1 text-left text-[13px]"
        onClick={() => setOpen(!open)}
      >
        <ShapeDrawing shape={shape} />
        <span className="flex-1">
          <span className="block text-xs text-base-content/75">Shape</span>
          {shapeName(shape)}
        </span>
        <span className="text-xs text-base-content/75">{open ? "close" : "change"}</span>
      </button>
      {open && (
        <div className="border-t border-base-300 p-2">
          {SHAPE_GROUPS.map(([purpose, offers]) => (
            <fieldset key={purpose} className="mb-2 last:mb-0">
              <legend className="mb-0.5 text-xs text-base-content/75">{purpose}</legend>
              <ul>
                {offers
                  .filter((o) => files || o.shape !== "cube-faces")
                  .map((o) => (
                    <li key={o.shape}>
                      <button
                        type="button"
                        data-shape={o.shape}
                        aria-pressed={o.shape === shape}
                        className={`flex w-full items-center gap-2 rounded-field px-1 py-0.5 text-left text-[13px] ${o.shape === shape ? "bg-base-200 font-semibold" : "hover:bg-base-200"}`}
                        onClick={() => {
                          onChange(o);
                          setOpen(false);
                        }}
                      >
                        <ShapeDrawing shape={o.shape} />
                        <span>
                          {o.name}
                          <span className="block text-xs font-normal text-base-content/75">{o.about}</span>
                        </span>
                      </button>
                    </li>
                  ))}
              </ul>
            </fieldset>
          ))}
        </div>
      )}
    </div>
  );
}
