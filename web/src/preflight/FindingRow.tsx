import type { FindingInfo } from "../generated/FindingInfo";
import { Mark, type Kind } from "../parts/Mark";

const looks: Record<FindingInfo["level"], { kind: Kind; word: string }> = {
  note: { kind: "none", word: "note" },
  warn: { kind: "look", word: "check this" },
  stop: { kind: "stop", word: "must be fixed" },
};

interface Props {
  finding: FindingInfo;
  /** Whether the place is told; a list for one viewpoint does without. */
  place: boolean;
  /** Found before something changed: what its click would do may be wrong by now. */
  stale: boolean;
  onFix: (finding: FindingInfo) => void;
  onShow?: (finding: FindingInfo) => void;
}

/** One finding: how bad, what, where, what to do, and the one click that does it. */
export function FindingRow({ finding, place, stale, onFix, onShow }: Props) {
  const { kind, word } = looks[finding.level];
  const seen = finding.heading_deg !== null && onShow !== undefined;
  return (
    <li
      className="flex flex-col gap-0.5 border-b border-base-300 py-1.5 last:border-0"
      data-testid="finding"
      data-rule={finding.rule}
      data-level={finding.level}
    >
      <div className="flex flex-wrap items-baseline gap-x-2 text-xs">
        <Mark kind={kind}>{word}</Mark>
        {place && <span className="text-base-content/75">{finding.where}</span>}
      </div>
      <p className="text-[13px] leading-snug">
        {finding.what} <span className="text-base-content/75">{finding.remedy}</span>
      </p>
      {(finding.fix || seen) && (
        <div className="flex gap-1.5">
          {finding.fix && (
            <button
              type="button"
              className="btn btn-xs font-normal"
              disabled={stale}
              onClick={() => onFix(finding)}
            >
              {finding.fix.label}
            </button>
          )}
          {seen && (
            <button
              type="button"
              className="btn btn-ghost btn-xs font-normal"
              onClick={() => onShow(finding)}
            >
              Show it
            </button>
          )}
        </div>
      )}
    </li>
  );
}
