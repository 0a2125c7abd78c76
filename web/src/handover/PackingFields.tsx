import { Choice } from "../parts/Choice";
import { Switch } from "../parts/Switch";
import { isPacked, type Packing } from "./packing";

/** How both eyes lie in the file: fields of a grid of three. */
export function PackingFields({ value, onChange }: { value: Packing; onChange: (to: Packing) => void }) {
  return (
    <>
      <Choice
        label="Eyes lie"
        className="col-span-2"
        value={value.arrangement}
        options={[
          ["top-bottom", "one above the other (top-bottom)"],
          ["side-by-side", "beside each other (side-by-side)"],
          ["two-files", "in two files"],
          ["mono", "left eye alone"],
        ]}
        onChange={(arrangement) => onChange({ ...value, arrangement })}
      />
      {isPacked(value) && (
        <>
          <Switch
            label="Squeezed to the size of one"
            on={value.squeezed}
            onChange={(squeezed) => onChange({ ...value, squeezed })}
          />
          <Switch
            label="Right eye first"
            on={value.rightFirst}
            onChange={(rightFirst) => onChange({ ...value, rightFirst })}
          />
        </>
      )}
    </>
  );
}
