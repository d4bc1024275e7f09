import { Link, useNavigate, useSearch } from "@tanstack/react-router";
import type { Schemas } from "@/shared/api/client";
import { against, bytes, counted, less } from "@/shared/format/figures";
import { buttonLook, PathWords, Title } from "@/shared/ui/basics";
import { useOpenImage } from "@/shared/ui/open-image";
import { useSite } from "@/shared/ui/site-context";
import { INKS } from "@/shared/ui/state";
import { TableHead } from "@/shared/ui/table-head";
import { Pick } from "@/shared/ui/view";
import { useTier, useVocabulary } from "@/shared/ui/vocabulary";
import { WeightStrip } from "@/shared/ui/weight-strip";

type Savings = Schemas["SavingsOut"];

/** Pages by what they refer to, where nobody can say what they load: pictures alone, and runs of long ago. */
export function PagesByReference({ savings: s }: { savings: Savings }) {
  const site = useSite();
  const navigate = useNavigate({ from: "/sites/$siteId/savings" });
  const search = useSearch({ from: "/sites/$siteId/savings" });
  const { tiers } = useVocabulary();
  const tier = useTier(search.tier ?? "").name;
  const after = s.after[tier] ?? s.before;
  const stillOver = s.pages.filter((p) => (p.after[tier] ?? p.before) > p.allowed).length;
  return (
    <>
      <Title
        says="Each file counts once for the site; after the treatment each picture counts with the widest file a visitor's browser may choose, so nobody loads more."
        side={
          <Link
            to="/sites/$siteId/handover"
            params={{ siteId: String(site.id) }}
            className={`${buttonLook} print:hidden`}
          >
            Take the handover
          </Link>
        }
      >
        {bytes(s.before - after)} saved, {less(s.before, after)}
      </Title>
      <p className="my-5 max-w-[85ch] text-[16px] leading-loose">
        For{" "}
        <Pick
          label="Audience tier"
          value={tier}
          choices={tiers.map((t) => [t.name, t.words] as const)}
          onChange={(name) => navigate({ search: (old) => ({ ...old, tier: name }), replace: true })}
        />
        : <strong className="text-thistle">{bytes(after)}</strong> of{" "}
        {site.pictures_alone ? "pictures" : "images in use"} instead of {bytes(s.before)}
        {!site.pictures_alone && (
          <>
            ; {counted(s.pages_over_before, "page")} over budget before,{" "}
            <strong className={stillOver ? "text-madder" : "text-stem"}>
              {stillOver ? `${stillOver} still over` : "none now"}
            </strong>
          </>
        )}
        .
      </p>
      <ByTier savings={s} />
      <ul className="mt-6 divide-y divide-rule border-y border-rule">
        {s.pages.map((page) => (
          <PageLine
            key={page.page_id}
            page={page}
            tier={tier}
            scale={Math.max(s.heaviest, site.pictures_alone ? 1 : site.page_budget)}
          />
        ))}
      </ul>
    </>
  );
}

/** The site with each file once, for the visitors of each tier. */
export function ByTier({ savings: s }: { savings: Savings }) {
  const { tiers } = useVocabulary();
  const after = (tier: string) => s.after[tier] ?? s.before;
  return (
    <table className="mt-4 border-collapse">
      <TableHead words={["Visitors", "before", "after", "saved"]} gap="pr-2 md:pr-10" />
      <tbody className="divide-y divide-rule">
        {tiers.map((tier) => (
          <tr key={tier.name}>
            <td className="py-1.5 pr-2 md:pr-10">{tier.words}</td>
            <td className="figure py-1.5 pr-2 md:pr-10">{bytes(s.before)}</td>
            <td className="figure py-1.5 pr-2 md:pr-10 text-thistle">{bytes(after(tier.name))}</td>
            <td className="figure py-1.5 pr-2 md:pr-10">
              {bytes(s.before - after(tier.name))} ({less(s.before, after(tier.name))})
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function PageLine({ page, tier, scale }: { page: Schemas["PageSaving"]; tier: string; scale: number }) {
  const site = useSite();
  const openImage = useOpenImage();
  const after = page.after[tier] ?? page.before;
  // Pictures that no page shows have no budget of a page.
  const allowed = site.pictures_alone ? undefined : page.allowed;
  const over = allowed !== undefined && after > allowed;
  return (
    <li className="grid grid-cols-1 items-start gap-x-6 gap-y-1 py-2.5 md:grid-cols-[minmax(150px,230px)_minmax(0,1fr)_210px]">
      <Link
        to="/sites/$siteId/audit/$pageId"
        params={{ siteId: String(site.id), pageId: String(page.page_id) }}
        className="block min-w-0"
      >
        <PathWords path={page.path} />
      </Link>
      <WeightStrip
        name={page.path}
        total={page.before}
        segments={page.segments}
        state={allowed === undefined ? "within" : page.state_before}
        budget={allowed}
        scale={scale}
        after={after}
        onOpen={openImage}
      />
      <p className="figure md:text-right">
        {bytes(page.before)} → <span className="text-thistle">{bytes(after)}</span>
        <span className={`block text-[12.5px] ${over ? INKS.over : "text-ink-soft"}`}>
          {over ? `still ${against(after, allowed)}` : `${bytes(page.before - after)} saved`}
        </span>
      </p>
    </li>
  );
}
