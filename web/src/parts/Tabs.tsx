interface Props<T extends string> {
  label: string;
  tabs: readonly (readonly [T, string])[];
  chosen: T;
  onChoose: (tab: T) => void;
}

/** A row of tabs; arrow keys go from one to the next. */
export function Tabs<T extends string>({ label, tabs, chosen, onChoose }: Props<T>) {
  const keys = (e: React.KeyboardEvent) => {
    const by = e.key === "ArrowRight" ? 1 : e.key === "ArrowLeft" ? -1 : 0;
    if (by === 0) return;
    e.preventDefault();
    const at = tabs.findIndex(([t]) => t === chosen);
    const next = tabs[(at + by + tabs.length) % tabs.length];
    if (!next) return;
    onChoose(next[0]);
    e.currentTarget.querySelector<HTMLElement>(`[data-tab="${next[0]}"]`)?.focus();
  };
  return (
    <div
      role="tablist"
      tabIndex={-1}
      aria-label={label}
      className="flex flex-wrap gap-x-2 border-b border-base-300 text-xs min-[1200px]:gap-x-3 min-[1200px]:text-[13px]"
      onKeyDown={keys}
    >
      {tabs.map(([tab, name]) => (
        <button
          key={tab}
          type="button"
          role="tab"
          data-tab={tab}
          aria-selected={tab === chosen}
          tabIndex={tab === chosen ? 0 : -1}
          className={`-mb-px border-b-2 px-0.5 pb-1 ${tab === chosen ? "border-secondary font-semibold" : "border-transparent text-base-content/80 hover:text-base-content"}`}
          onClick={() => onChoose(tab)}
        >
          {name}
        </button>
      ))}
    </div>
  );
}
