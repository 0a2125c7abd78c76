import { Choice } from "../parts/Choice";
import { NumberField } from "../parts/NumberField";
import type { Quality } from "./quality";

/** When a picture is good enough: fields of a grid. */
export function QualityFields({
  value,
  onChange,
  denoised,
}: {
  value: Quality;
  onChange: (to: Quality) => void;
  /** Whether the noise is what denoising is to leave. */
  denoised: boolean;
}) {
  return (
    <>
      <Choice
        label="Quality"
        className="col-span-2"
        value={value.how}
        options={[
          ["noise", "Until the noise is low enough"],
          ["samples", "The same number of samples everywhere"],
        ]}
        onChange={(how) => onChange({ ...value, how })}
      />
      {value.how === "noise" ? (
        <>
          <NumberField
            label={denoised ? "Noise left at most" : "Noise at most"}
            unit="%"
            value={value.noise}
            digits={1}
            step={0.5}
            min={0.1}
            max={100}
            onChange={(noise) => onChange({ ...value, noise })}
          />
          <NumberField
            label="Samples at most"
            unit="per pixel"
            value={value.most}
            step={64}
            min={1}
            max={65536}
            onChange={(most) => onChange({ ...value, most })}
          />
        </>
      ) : (
        <NumberField
          label="Samples per pixel"
          unit="samples"
          value={value.samples}
          min={1}
          max={65536}
          onChange={(samples) => onChange({ ...value, samples })}
        />
      )}
    </>
  );
}
