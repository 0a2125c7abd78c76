import type { BudgetRule } from "../generated/BudgetRule";
import type { DepthInfo } from "../generated/DepthInfo";
import type { ParallaxBudget } from "../generated/ParallaxBudget";
import { Choice } from "../parts/Choice";
import { LengthField } from "../parts/LengthField";
import { Mark } from "../parts/Mark";
import { NumberField } from "../parts/NumberField";

/** What a percentage of the budget is like (common practice). */
function mark(percent: number): string {
  if (percent <= 35) return "flat: good for fast cuts";
  if (percent < 60) return "calm";
  if (percent <= 80) return "average";
  if (percent < 95) return "strong";
  return "for special shots only";
}

/** How much parallax the screen allows, and how much of it this shot uses. */
export function BudgetFields({
  budget,
  depth,
  onChange,
}: {
  budget: ParallaxBudget;
  depth: DepthInfo | null;
  onChange: (to: ParallaxBudget) => void;
}) {
  const set = (part: Partial<ParallaxBudget>) => onChange({ ...budget, ...part });
  const screen = depth?.screen;
  return (
    <details className="text-[13px]" open>
      <summary className="cursor-pointer">Budget of parallax</summary>
      <div className="mt-1 grid grid-cols-2 gap-x-3 gap-y-1.5">
        <NumberField
          label="Final width"
          unit="px"
          min={16}
          max={65536}
          value={budget.final_width}
          onChange={(w) => set({ final_width: Math.round(w) })}
        />
        <Choice<BudgetRule>
          label="Rule"
          value={budget.rule}
          options={[
            ["cautious", "cautious: 1/30 of the width"],
            ["bold", "bold: 1/23 of the width"],
            ["screen", "by the screen"],
            ["own", "my own"],
          ]}
          onChange={(rule) => set({ rule })}
        />
        {budget.rule === "own" && (
          <NumberField
            label="My own budget"
            unit="px"
            digits={1}
            min={0.1}
            max={10000}
            value={budget.own_px}
            onChange={(own_px) => set({ own_px })}
          />
        )}
        <NumberField
          label="Used by this shot"
          unit="%"
          step={5}
          min={0.1}
          max={200}
          value={budget.percent}
          onChange={(percent) => set({ percent })}
        />
        <NumberField
          label="Of it in front"
          unit="%"
          step={5}
          min={0}
          max={100}
          value={budget.front_percent}
          onChange={(front_percent) => set({ front_percent })}
        />
        <LengthField
          label="Screen is wide"
          value={budget.screen_width_m ?? 0}
          min={0}
          max={1000}
          onChange={(w) => set({ screen_width_m: w > 0 ? w : null })}
        />
        <LengthField
          label="Seen from"
          value={budget.screen_distance_m ?? 0}
          min={0}
          max={1000}
          onChange={(d) => set({ screen_distance_m: d > 0 ? d : null })}
        />
      </div>
      <p className="mt-1 text-xs text-base-content/80" data-testid="budget-words">
        {depth?.budget_px && `Whole budget ${depth.budget_px.whole.toFixed(1)} px; `}
        {budget.percent.toFixed(0)} % is {mark(budget.percent)}. Usual at 1920 px: front 20, back 50;
        interiors 24, exteriors 34 in all.
      </p>
      {screen ? (
        <p className="mt-1 text-xs" data-testid="on-screen">
          <Mark kind={screen.adults_diverge_deg > 1 ? "look" : "fine"}>
            <span>
              On the screen the budget is {screen.budget_minutes.toFixed(0)}′, the farthest{" "}
              {screen.far_minutes.toFixed(0)}′ or {screen.behind_mm.toFixed(0)} mm{" "}
              {screen.behind_mm < 0 ? "in front" : "behind"}. Adults’ eyes diverge by{" "}
              {screen.adults_diverge_deg.toFixed(2)}°, children’s by {screen.children_diverge_deg.toFixed(2)}
              °. Roundness at zero parallax {screen.roundness.toFixed(2)}.
            </span>
          </Mark>
        </p>
      ) : (
        <p className="mt-1 text-xs text-base-content/80">
          With the screen’s width and the distance it is seen from, angles and millimetres are told.
        </p>
      )}
    </details>
  );
}
