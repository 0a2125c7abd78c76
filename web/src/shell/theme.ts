import { createContext, use } from "react";
import type { UnitSystem } from "../parts/units";

interface Shell {
  dusk: boolean;
  toggle: () => void;
  units: UnitSystem;
  setUnits: (units: UnitSystem) => void;
}

export const ShellContext = createContext<Shell>({
  dusk: false,
  toggle: () => undefined,
  units: "metric",
  setUnits: () => undefined,
});

export const useShell = (): Shell => use(ShellContext);
