import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { api, told } from "@/shared/api/client";
import { Failed, Loading } from "@/shared/ui/basics";
import { CopyButton } from "@/shared/ui/copy-button";
import { FormEnd } from "@/shared/ui/dialog";
import { useNotice } from "@/shared/ui/notices";
import { useSite } from "@/shared/ui/site-context";

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

/** The rules as TOML: for taking along, and for what is quicker typed than chosen. */
export function RulesAsText({ close }: { close: () => void }) {
  const site = useSite();
  const params = { path: { site_id: site.id } };
  const rules = useQuery({
    queryKey: ["site", site.id, "rules", "toml"],
    queryFn: () => told(api.GET("/api/v1/sites/{site_id}/rules.toml", { params })),
    gcTime: 0,
    refetchOnWindowFocus: false,
  });
  if (rules.isPending) return <Loading what="the rules" />;
  if (rules.isError) return <Failed error={rules.error} again={() => rules.refetch()} />;
  return <Editor before={rules.data.toml} close={close} />;
}

/** Changed as a whole, refused as a whole, and undone as a whole. */
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
    onSuccess: () => {
      void queries.invalidateQueries({ queryKey: ["site", site.id, "rules"] });
      void queries.invalidateQueries({ queryKey: ["capture", site.capture.id] });
    },
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
        <code>page</code> and says what they get. Of several that fit, the most specific decides. The same
        text is taken by <code>./thistle treat --rules</code>.
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
