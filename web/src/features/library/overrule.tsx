import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api, type Schemas, told } from "@/shared/api/client";
import { counted } from "@/shared/format/figures";
import { useNotice } from "@/shared/ui/notices";
import { useSite } from "@/shared/ui/site-context";
import { useVocabulary } from "@/shared/ui/vocabulary";

type Settings = Schemas["OverrideSettings"] | null;
const LEAVE = "leave";
const AS_RULES = "rules";

/** Decides for images against the rules: left alone, or at another look; taken back at once or later. */
export function Overrule({ selection }: { selection: Schemas["Selection"] }) {
  const site = useSite();
  const captureId = site.capture.id;
  const queries = useQueryClient();
  const say = useNotice();
  const { fidelities } = useVocabulary();
  const refresh = () => queries.invalidateQueries({ queryKey: ["capture", captureId] });
  const restore = useMutation({
    mutationFn: (toml: string) =>
      told(
        api.PUT("/api/v1/sites/{site_id}/rules.toml", {
          params: { path: { site_id: site.id } },
          body: { toml },
        }),
      ),
    onSuccess: refresh,
  });
  const decide = useMutation({
    mutationFn: (settings: Settings) =>
      told(
        api.POST("/api/v1/captures/{capture_id}/overrides", {
          params: { path: { capture_id: captureId } },
          body: { selection, settings },
        }),
      ),
    onSuccess: (done) => {
      void refresh();
      say(`Decided for ${counted(done.changed, "image")}; the next run follows it.`, () =>
        restore.mutate(done.toml),
      );
    },
    onError: (error) => say(error.message),
  });
  const take = (value: string) => {
    const fidelity = fidelities.find((f) => f.name === value)?.name;
    if (value === AS_RULES) decide.mutate(null);
    else if (value === LEAVE) decide.mutate({ leave: true });
    else if (fidelity) decide.mutate({ leave: false, fidelity });
  };
  return (
    <label className="flex items-center gap-2 text-ink-soft">
      Overrule
      <select value="" onChange={(e) => take(e.target.value)} className="field">
        <option value="" disabled>
          choose …
        </option>
        <option value={LEAVE}>leave as it is</option>
        {fidelities.map((f) => (
          <option key={f.name} value={f.name}>
            keep it {f.name}
          </option>
        ))}
        <option value={AS_RULES}>as the rules say</option>
      </select>
    </label>
  );
}

/** Which rules decide what of one image, and the decision against them. */
export function WhatItGets({ image: i }: { image: Schemas["ImageDetail"] }) {
  return (
    <section className="mt-8">
      <h2 className="mb-2">What the next run makes of it</h2>
      {i.decided.length === 0 && (
        <p>What the rules say of all images, by its role ({i.role || "content"}).</p>
      )}
      {i.decided.map((words) => (
        <p key={words}>{words}</p>
      ))}
      <div className="mt-2">
        <Overrule selection={{ ids: [i.id], without: [] }} />
      </div>
    </section>
  );
}
