import { useState } from "react";
import type { Schemas } from "@/shared/api/client";
import { type Filter, wanted } from "./library-filter";

/** Images chosen one by one, or the whole filtered set but for some. */
export type Selected = { all: boolean; ids: ReadonlySet<number> };

/** `total` counts what the filter lets through. "All" means all of one filter: another filter ends it. */
export function useSelection(filter: Filter, total: number, startWithAll: boolean) {
  const among = JSON.stringify(wanted(filter));
  const [selected, setSelected] = useState<Selected>({ all: startWithAll, ids: new Set() });
  const [chosenAmong, setChosenAmong] = useState(among);
  if (chosenAmong !== among) {
    setChosenAmong(among);
    if (selected.all) setSelected({ all: false, ids: new Set() });
  }
  const count = selected.all ? Math.max(0, total - selected.ids.size) : selected.ids.size;
  const has = (id: number) => selected.all !== selected.ids.has(id);
  function toggle(ids: number[], to: boolean) {
    setSelected((old) => {
      const next = new Set(old.ids);
      for (const id of ids) {
        if (to === old.all) next.delete(id);
        else next.add(id);
      }
      return { ...old, ids: next };
    });
  }
  const body: Schemas["Selection"] = selected.all
    ? { ids: [], filter: wanted(filter), without: [...selected.ids] }
    : { ids: [...selected.ids], without: [] };
  return {
    count,
    has,
    toggle,
    everything: () => setSelected({ all: true, ids: new Set() }),
    nothing: () => setSelected({ all: false, ids: new Set() }),
    body,
  };
}

export type Selection = ReturnType<typeof useSelection>;
