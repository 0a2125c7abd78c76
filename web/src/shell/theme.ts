import { createContext, use } from "react";

interface Shell {
  dusk: boolean;
  toggle: () => void;
}

export const ShellContext = createContext<Shell>({ dusk: false, toggle: () => undefined });

export const useShell = (): Shell => use(ShellContext);
