import { useState } from "react";
import { FIELD, Kept } from "@/shared/rules/rule-form";
import type { Entries, Tables } from "@/shared/rules/settings";
import { withPart } from "@/shared/rules/settings";
import { useVocabulary } from "@/shared/ui/vocabulary";

/** What each role must keep. */
export function RoleForm({ tables, close }: { tables: Tables; close: () => void }) {
  const { roles, fidelities, usual } = useVocabulary();
  const given = tables.all?.fidelity;
  const [draft, setDraft] = useState<Entries>(() => {
    const one = typeof given === "object" && given !== null ? (given as Entries) : {};
    const all = typeof given === "object" || given === undefined ? undefined : given;
    return Object.fromEntries(roles.map((role) => [role, one[role] ?? all ?? usual[role]]));
  });
  const name = (value: unknown) => fidelities.find((f) => f.score === value)?.name ?? value;
  const said = withPart(tables, "roles", 0, { ...tables.all, fidelity: draft });
  return (
    <Kept tables={said} close={close} words="What each role keeps was changed.">
      <div className="grid gap-x-6 gap-y-3 sm:grid-cols-2">
        {roles.map((role) => (
          <label key={role} className="block">
            <span className="mb-1 block text-ink-soft">{role}</span>
            <select
              value={String(name(draft[role]))}
              onChange={(e) => setDraft({ ...draft, [role]: Number(e.target.value) || e.target.value })}
              className={FIELD}
            >
              {fidelities.map((f) => (
                <option key={f.name} value={f.name}>
                  {f.name}, a score of {f.score}
                </option>
              ))}
              {typeof name(draft[role]) === "number" && (
                <option value={String(draft[role])}>a score of {String(draft[role])}</option>
              )}
            </select>
          </label>
        ))}
      </div>
    </Kept>
  );
}
