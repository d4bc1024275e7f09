import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { api, type Schemas, told } from "@/shared/api/client";
import { forecastQuery } from "@/shared/api/queries";
import { counted } from "@/shared/format/figures";
import { Failed, Loading } from "@/shared/ui/basics";
import { CopyButton } from "@/shared/ui/copy-button";
import { DialogButton, FormEnd } from "@/shared/ui/dialog";
import { useNotice } from "@/shared/ui/notices";
import { useSite } from "@/shared/ui/site-context";

const FEW = 8;
const EXAMPLE = `[all]
metadata = "copyright"

[[rule]]
role = "content"
kind = "photograph"
formats = ["avif", "webp"]
cap = "150kB"

[[rule]]
path = "press/*"
leave = true
`;

/** The site's rules for some of its images as sentences, each with how many it decides. */
export function Rules({ forecast: f }: { forecast: Schemas["Forecast"] }) {
  const overrides = f.narrower.filter((rule) => rule.override);
  return (
    <section aria-labelledby="rules" className="mb-8 max-w-[1000px]">
      <div className="mb-3 flex flex-wrap items-baseline justify-between gap-4">
        <h2 id="rules">Rules for some images</h2>
        <DialogButton trigger="Change the rules" title="Rules" wide>
          {(close) => <Text close={close} />}
        </DialogButton>
      </div>
      {f.narrower.length === 0 && (
        <p className="text-ink-soft">None: all images are treated alike, each by its role.</p>
      )}
      <Sentences rules={f.narrower.filter((rule) => !rule.override)} />
      {overrides.length > 0 && (
        <details className="mt-3" open={overrides.length <= FEW}>
          <summary className="cursor-pointer">{counted(overrides.length, "single image")} overruled</summary>
          <Sentences rules={overrides} />
        </details>
      )}
    </section>
  );
}

function Sentences({ rules }: { rules: Schemas["RuleSaid"][] }) {
  if (rules.length === 0) return null;
  return (
    <ul className="divide-y divide-rule border-y border-rule">
      {rules.map((rule) => (
        <li key={`${rule.said} ${rule.asks}`} className="flex flex-wrap justify-between gap-x-6 py-1.5">
          <span>
            <strong className="font-semibold">{capital(rule.said)}</strong>: {rule.asks}
          </span>
          <span className="text-ink-soft">
            {rule.images > 0 ? `decides of ${counted(rule.images, "image")}` : "decides of no image"}
          </span>
        </li>
      ))}
    </ul>
  );
}

function Text({ close }: { close: () => void }) {
  const site = useSite();
  const params = { path: { site_id: site.id } };
  const rules = useQuery({
    queryKey: ["site", site.id, "rules"],
    queryFn: () => told(api.GET("/api/v1/sites/{site_id}/rules.toml", { params })),
    gcTime: 0,
  });
  if (rules.isPending) return <Loading what="the rules" />;
  if (rules.isError) return <Failed error={rules.error} again={() => rules.refetch()} />;
  return <Editor before={rules.data.toml} close={close} />;
}

/** The rules as TOML: changed as a whole, refused as a whole, and undone as a whole. */
function Editor({ before, close }: { before: string; close: () => void }) {
  const site = useSite();
  const queries = useQueryClient();
  const say = useNotice();
  const [text, setText] = useState(before);
  const keep = useMutation({
    mutationFn: (toml: string) =>
      told(
        api.PUT("/api/v1/sites/{site_id}/rules.toml", {
          params: { path: { site_id: site.id } },
          body: { toml },
        }),
      ),
    onSuccess: () => queries.invalidateQueries({ queryKey: forecastQuery(site.capture.id).queryKey }),
  });
  function save(event: FormEvent) {
    event.preventDefault();
    keep.mutate(text, {
      onSuccess: (was) => {
        close();
        say("The rules were changed.", () => keep.mutate(was.toml));
      },
    });
  }
  return (
    <form onSubmit={save} className="space-y-4">
      <p className="max-w-[80ch] text-ink-soft">
        What holds for every image stands under <code>[all]</code>. Each <code>[[rule]]</code> names images by{" "}
        <code>role</code>, <code>kind</code>, <code>format</code>, <code>path</code>, <code>folder</code> or{" "}
        <code>page</code> and says what they get: <code>fidelity</code>, <code>cap</code>,{" "}
        <code>quality</code>, <code>formats</code>, <code>max_width</code>, <code>metadata</code>,{" "}
        <code>leave</code> and more. Of several that fit, the most specific decides. The same text is taken by{" "}
        <code>./thistle treat --rules</code>.
      </p>
      <textarea
        aria-label="Rules as TOML"
        value={text}
        onChange={(e) => setText(e.target.value)}
        placeholder={EXAMPLE}
        spellCheck={false}
        rows={18}
        className="field w-full font-mono text-[13px]"
      />
      <div className="flex flex-wrap items-start justify-between gap-3">
        <CopyButton text={text} what="the rules" />
        <FormEnd error={keep.error} submit="Hold the site to these" disabled={keep.isPending} close={close} />
      </div>
    </form>
  );
}

function capital(words: string): string {
  return words.charAt(0).toUpperCase() + words.slice(1);
}
