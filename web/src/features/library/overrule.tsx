import { useQuery } from "@tanstack/react-query";
import type { Schemas } from "@/shared/api/client";
import { decisionsQuery, forecastQuery } from "@/shared/api/queries";
import { Failed, Loading } from "@/shared/ui/basics";
import { useSite } from "@/shared/ui/site-context";
import { useVocabulary } from "@/shared/ui/vocabulary";
import { decisionWords } from "./decision";
import { FocalPoint } from "./focal-point";
import { useOverrule } from "./use-overrule";

const LEAVE = "leave";
const AS_RULES = "rules";

/** Decides for images against the rules: left alone, or at another look; taken back at once or later. */
export function Overrule({ selection }: { selection: Schemas["Selection"] }) {
  const { fidelities } = useVocabulary();
  const decide = useOverrule(selection);
  const take = (value: string) => {
    const fidelity = fidelities.find((f) => f.name === value)?.name;
    if (value === AS_RULES) decide(null);
    else if (value === LEAVE) decide({ leave: true });
    else if (fidelity) decide({ leave: false, fidelity });
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

function Decided({ imageId }: { imageId: number }) {
  const site = useSite();
  const decisions = useQuery(decisionsQuery(site.capture.id, [imageId]));
  if (decisions.isPending) return <Loading what="the decision" />;
  if (decisions.isError) return <Failed error={decisions.error} again={() => decisions.refetch()} />;
  return decisions.data.map((d) => <p key={d.image_id}>{decisionWords(d)}</p>);
}

/** Which rules decide what of one image, and the decision against them. */
export function WhatItGets({ image: i }: { image: Schemas["ImageDetail"] }) {
  const site = useSite();
  const alone = useQuery(forecastQuery(site.capture.id)).data?.pictures_alone;
  return (
    <section className="mt-8">
      <h2 className="mb-2">What the next run makes of it</h2>
      <Decided imageId={i.id} />
      <div className="mt-2">
        <Overrule selection={{ ids: [i.id], without: [] }} />
      </div>
      {alone && i.has_thumbnail && <FocalPoint image={i} />}
    </section>
  );
}
