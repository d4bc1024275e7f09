import { useState } from "react";
import { FIELD, Kept } from "@/shared/rules/rule-form";
import { type Entries, type Tables, withPart } from "@/shared/rules/settings";
import { Choice } from "@/shared/ui/choice";

const FORMS = [
  ["markup", "In the markup"],
  ["same-addresses", "At the same addresses"],
  ["files-only", "The files alone"],
  ["in-place", "In place"],
] as const;
type Form = (typeof FORMS)[number][0];
const LEAVES: Record<Form, string> = {
  markup: "Pages are rewritten to offer each browser the files that it shows, in the widths that it needs.",
  "same-addresses":
    "Pages stay. Files of the originals' own size stand beside them, and your server chooses by what a browser accepts; snippets for nginx and Apache come along.",
  "files-only": "Pages stay. The new files come with suggested markup.",
  "in-place":
    "Pages and names stay. Each file becomes smaller in its own format and size; the originals are kept in a folder of their own.",
};

/** How what is made leaves, what files are called, and whether a check must have passed. */
export function SiteForm({ tables, alone, close }: { tables: Tables; alone: boolean; close: () => void }) {
  const [draft, setDraft] = useState<Entries>(tables.site ?? {});
  const form = FORMS.find(([key]) => key === draft.form)?.[0] ?? "markup";
  const names = typeof draft.names === "string" ? draft.names : "";
  const set = (name: string, value: unknown) => setDraft((old) => ({ ...old, [name]: value }));
  const switches = [
    ["background_widths", "Backgrounds get narrower files on narrow screens"],
    ["demand_check", "Nothing leaves before a check in a browser has passed"],
  ] as const;
  return (
    <Kept tables={withPart(tables, "site", 0, draft)} close={close} words="How it leaves was changed.">
      {!alone && (
        <div>
          <Choice label="How it leaves" value={form} choices={FORMS} onChange={(next) => set("form", next)} />
          <p className="mt-1 max-w-[80ch] text-ink-soft">{LEAVES[form]}</p>
        </div>
      )}
      <label className="block">
        <span className="mb-1 block text-ink-soft">
          What new files are called: {"{name}"}, {"{width}"}, {"{height}"}, {"{hash}"}, and {".{ext}"} at the
          end
        </span>
        <input
          value={names}
          placeholder="{name}-{width}.{ext}"
          onChange={(e) => set("names", e.target.value || undefined)}
          className={`${FIELD} font-mono text-[13px]`}
        />
      </label>
      {!alone &&
        switches.map(([name, words]) => (
          <label key={name} className="flex items-center gap-2">
            <input
              type="checkbox"
              checked={draft[name] === true}
              onChange={(e) => set(name, e.target.checked || undefined)}
            />
            {words}
          </label>
        ))}
    </Kept>
  );
}
