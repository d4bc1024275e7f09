import { useState } from "react";
import { bytes, parseBytes } from "@/shared/format/figures";
import { Choice } from "@/shared/ui/choice";
import { useVocabulary } from "@/shared/ui/vocabulary";
import type { Entries } from "./settings";

const WAYS = [
  ["", "as the roles say"],
  ["fidelity", "a fidelity"],
  ["cap", "a size a file"],
  ["quality", "fixed qualities"],
] as const;
type Way = (typeof WAYS)[number][0];

type Props = {
  draft: Entries;
  set: (change: (old: Entries) => Entries) => void;
  /** Whether what is left open follows from the roles, or from what holds for all images. */
  byRole: boolean;
  fails: (name: string, does: boolean) => void;
};

/** How files must look: a fidelity, a size to stay within, or fixed qualities; one of the three. */
export function LookFields({ draft, set, byRole, fails }: Props) {
  const { fidelities, tiers } = useVocabulary();
  const roles = typeof draft.fidelity === "object";
  const [way, setWay] = useState<Way>(
    WAYS.find(([key]) => key && draft[key] !== undefined && !(key === "fidelity" && roles))?.[0] ?? "",
  );
  const [text, setText] = useState(
    typeof draft.cap === "number" ? bytes(draft.cap) : String(draft.cap ?? ""),
  );
  function look(next: Way, value: unknown) {
    set(({ fidelity, cap: _, quality: __, ...others }) => {
      // What each role must keep has a sentence of its own, and stays as long as nothing replaces it.
      const kept = next === "" && typeof fidelity === "object" ? { fidelity } : {};
      return { ...others, ...kept, ...(next && value !== null ? { [next]: value } : {}) };
    });
  }
  function choose(next: Way) {
    setWay(next);
    fails("cap", next === "cap" && parseBytes(text) === null);
    if (next === "") look("", null);
    if (next === "fidelity") look("fidelity", "faithful");
    if (next === "cap") look("cap", parseBytes(text));
    if (next === "quality") look("quality", Object.fromEntries(tiers.map((t) => [t.name, t.fixed])));
  }
  const quality = (draft.quality ?? {}) as Record<string, number>;
  const ways = WAYS.map(([key, words]) => [key, key || byRole ? words : "as for all images"] as const);
  return (
    <fieldset>
      <legend className="mb-1 font-semibold">Look</legend>
      <Choice
        label="Look by"
        value={way || "none"}
        choices={ways.map(([k, w]) => [k || "none", w] as const)}
        onChange={(next) => choose(WAYS.find(([k]) => k === next)?.[0] ?? "")}
      />
      <div className="mt-2 min-h-9">
        {way === "fidelity" && (
          <select
            aria-label="Fidelity"
            value={String(draft.fidelity ?? "")}
            onChange={(e) => look("fidelity", Number(e.target.value) || e.target.value)}
            className="field"
          >
            {fidelities.map((f) => (
              <option key={f.name} value={f.name}>
                {f.name}, a score of {f.score}
              </option>
            ))}
            {typeof draft.fidelity === "number" && (
              <option value={draft.fidelity}>a score of {draft.fidelity}</option>
            )}
          </select>
        )}
        {way === "cap" && (
          <label className="flex items-center gap-2">
            the best look within
            <input
              value={text}
              placeholder="150 kB"
              aria-label="Bytes a file"
              aria-invalid={parseBytes(text) === null}
              onChange={(e) => {
                setText(e.target.value);
                fails("cap", parseBytes(e.target.value) === null);
                look("cap", parseBytes(e.target.value));
              }}
              className="field w-32"
            />
          </label>
        )}
        {way === "quality" && (
          <div className="flex flex-wrap gap-4">
            {tiers.map((t) => (
              <label key={t.name} className="flex items-center gap-2">
                {t.format}
                <input
                  type="number"
                  min={1}
                  max={100}
                  value={quality[t.name] ?? ""}
                  onChange={(e) => look("quality", { ...quality, [t.name]: Number(e.target.value) })}
                  className="field w-20"
                />
              </label>
            ))}
          </div>
        )}
      </div>
    </fieldset>
  );
}
