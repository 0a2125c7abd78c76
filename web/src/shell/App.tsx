import { useEffect, useState } from "react";
import { Route, Switch } from "wouter";
import { useChanges } from "../api/changes";
import { Library } from "../library/Library";
import { PicturesPage } from "../pictures/PicturesPage";
import { setUnitSystem, unitSystem } from "../parts/units";
import { ProjectFrame } from "./ProjectFrame";
import { ServerLost } from "./ServerLost";
import { ShellContext } from "./theme";

const KEPT = "owl-dome-theme";

/** The page: library or project, in daylight or at dusk. */
export function App() {
  useChanges();
  const [theme, setTheme] = useState(() => localStorage.getItem(KEPT) ?? "daylight");
  const [units, setUnits] = useState(unitSystem);
  useEffect(() => {
    document.documentElement.dataset["theme"] = theme;
    localStorage.setItem(KEPT, theme);
  }, [theme]);
  return (
    <ShellContext
      value={{
        dusk: theme === "dusk",
        toggle: () => setTheme(theme === "dusk" ? "daylight" : "dusk"),
        units,
        setUnits: (to) => {
          setUnitSystem(to);
          setUnits(to);
        },
      }}
    >
      <Switch>
        <Route path="/project/:id/:stage?">
          {({ id, stage }) => <ProjectFrame id={Number(id)} stage={stage ?? "scene"} />}
        </Route>
        <Route path="/pictures/:id?">
          {({ id }) => <PicturesPage chosen={id === undefined ? null : Number(id)} />}
        </Route>
        <Route>
          <Library />
        </Route>
      </Switch>
      <ServerLost />
    </ShellContext>
  );
}
