import { useState } from "react";
import { behindDoor } from "@/shared/api/door";
import { Button, buttonLook } from "@/shared/ui/basics";
import { CopyButton } from "@/shared/ui/copy-button";
import { DialogButton } from "@/shared/ui/dialog";
import type { View } from "@/shared/ui/view";
import { useVocabulary } from "@/shared/ui/vocabulary";

const FORMS = [
  ["html", "One page to open anywhere (HTML)"],
  ["pdf", "To print or send (PDF)"],
  ["csv", "A row for each page, screen and tier (CSV)"],
  ["json", "Everything, for programs (JSON)"],
  ["md", "A summary for a pull request (Markdown)"],
] as const;
type Form = (typeof FORMS)[number][0];

type Props = { run: number; screens: string[]; view: View };

/** What a report holds is chosen here; taking it is a plain download. */
export function ReportDialog(props: Props) {
  return (
    <DialogButton trigger="Take a report" title="A report to send">
      {(close) => <Choices {...props} close={close} />}
    </DialogButton>
  );
}

function Choices({ run, screens, close }: Props & { close: () => void }) {
  const { tiers } = useVocabulary();
  const [form, setForm] = useState<Form>("html");
  const [onScreens, setScreens] = useState(screens);
  const [ofTiers, setTiers] = useState(tiers.map((t) => t.name));
  const [pages, setPages] = useState("");
  const [images, setImages] = useState(true);
  const [text, setText] = useState("");
  const query = new URLSearchParams();
  if (onScreens.length < screens.length) for (const name of onScreens) query.append("screen", name);
  if (ofTiers.length < tiers.length) for (const name of ofTiers) query.append("tier", name);
  for (const pattern of pages.split(/[\s,]+/).filter(Boolean)) query.append("page", pattern);
  if (!images) query.set("images", "false");
  const address = behindDoor(`/api/v1/runs/${run}/report.${form}?${query}`);
  const none = onScreens.length === 0 || ofTiers.length === 0;
  async function show() {
    const answer = await fetch(address);
    setText(answer.ok ? await answer.text() : ((await answer.json()) as { detail: string }).detail);
  }
  return (
    <div className="space-y-5">
      <fieldset>
        <legend className="mb-1 text-ink-soft">As</legend>
        {FORMS.map(([key, words]) => (
          <label key={key} className="flex items-center gap-2 py-0.5">
            <input type="radio" name="form" checked={form === key} onChange={() => setForm(key)} />
            {words}
          </label>
        ))}
      </fieldset>
      <div className="grid gap-5 sm:grid-cols-2">
        <Boxes legend="Screens" all={screens.map((s) => [s, `a ${s}`])} chosen={onScreens} set={setScreens} />
        <Boxes legend="Browsers" all={tiers.map((t) => [t.name, t.words])} chosen={ofTiers} set={setTiers} />
      </div>
      <label className="block">
        <span className="text-ink-soft">Pages: paths or patterns like news/*, with commas; all without</span>
        <input value={pages} onChange={(e) => setPages(e.target.value)} className="field mt-1 w-full" />
      </label>
      <label className="flex items-center gap-2">
        <input type="checkbox" checked={images} onChange={(e) => setImages(e.target.checked)} />
        Tell single images too
      </label>
      {text && (
        <pre className="max-h-64 overflow-auto rounded border border-rule p-3 text-[12.5px]">{text}</pre>
      )}
      <div className="flex flex-wrap justify-end gap-3">
        <Button onClick={close}>Close</Button>
        {form === "md" && !text && (
          <Button onClick={show} disabled={none}>
            Show it here
          </Button>
        )}
        {text && <CopyButton text={text} what="the summary" />}
        {none ? (
          <p className="text-madder">Choose a screen and a browser.</p>
        ) : (
          <a href={address} download className={buttonLook}>
            Take the report
          </a>
        )}
      </div>
    </div>
  );
}

type BoxesProps = {
  legend: string;
  all: (readonly [string, string])[];
  chosen: string[];
  set: (chosen: string[]) => void;
};

function Boxes({ legend, all, chosen, set }: BoxesProps) {
  return (
    <fieldset>
      <legend className="mb-1 text-ink-soft">{legend}</legend>
      {all.map(([name, words]) => (
        <label key={name} className="flex items-center gap-2 py-0.5">
          <input
            type="checkbox"
            checked={chosen.includes(name)}
            onChange={(e) =>
              set(e.target.checked ? [...chosen, name] : chosen.filter((other) => other !== name))
            }
          />
          {words}
        </label>
      ))}
    </fieldset>
  );
}
