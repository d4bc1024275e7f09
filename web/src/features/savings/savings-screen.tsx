import { useQuery } from "@tanstack/react-query";
import { Link, useNavigate, useSearch } from "@tanstack/react-router";
import { api, type Schemas, told } from "@/shared/api/client";
import { against, bytes, counted, less } from "@/shared/format/figures";
import { buttonLook, Empty, Failed, Loading, Title } from "@/shared/ui/basics";
import { useOpenImage } from "@/shared/ui/open-image";
import { useSite } from "@/shared/ui/site-context";
import { INKS } from "@/shared/ui/state";
import { TableHead } from "@/shared/ui/table-head";
import { type View, ViewSentence, withDefaults } from "@/shared/ui/view";
import { useTier, useVocabulary } from "@/shared/ui/vocabulary";
import { WeightStrip } from "@/shared/ui/weight-strip";
import { Loads, LoadsWords } from "./loads";

/** Bytes before, after and saved, for the site and every page, in each audience tier. */
export function SavingsScreen() {
  const site = useSite();
  const navigate = useNavigate({ from: "/sites/$siteId/savings" });
  const search = withDefaults(useSearch({ from: "/sites/$siteId/savings" }));
  const tier = useTier(search.tier).name;
  const done = site.run_state === "done" && site.run_id !== null;
  const savings = useQuery({
    queryKey: ["run", site.run_id, "savings", site.page_budget],
    queryFn: () =>
      told(api.GET("/api/v1/runs/{run_id}/savings", { params: { path: { run_id: site.run_id ?? 0 } } })),
    enabled: done,
  });
  const params = { siteId: String(site.id) };
  if (!done) {
    return (
      <Empty>
        Savings are known once a run is done.{" "}
        <Link to="/sites/$siteId/runs" params={params}>
          See the run
        </Link>
      </Empty>
    );
  }
  if (savings.isPending) return <Loading screen what="the savings" />;
  if (savings.isError) return <Failed screen error={savings.error} again={() => savings.refetch()} />;
  const s = savings.data;
  const after = s.after[tier] ?? s.before;
  const stillOver = s.pages.filter((p) => (p.after[tier] ?? p.before) > p.allowed).length;
  const screens = [...new Set(s.loads?.totals.map((t) => t.screen))];
  const view = { ...search, screen: screens.includes(search.screen) ? search.screen : (screens[0] ?? "") };
  const change = (part: Partial<View>) => navigate({ search: (old) => ({ ...old, ...part }), replace: true });
  return (
    <>
      <Title
        says={`${bytes(s.before)} of images in use before, ${bytes(after)} after. Each file counts once for the site; after the treatment each picture counts with the widest file a visitor's browser may choose, so nobody loads more.`}
        side={
          <Link to="/sites/$siteId/handover" params={params} className={buttonLook}>
            Take the handover
          </Link>
        }
      >
        {bytes(s.before - after)} saved, {less(s.before, after)}
      </Title>
      {s.loads && (
        <ViewSentence
          view={view}
          change={change}
          screens={screens.map((name) => [name, `a ${name}`])}
          words={["tier"]}
        >
          <LoadsWords report={s.loads} view={{ ...view, tier }} />
        </ViewSentence>
      )}
      <p className="mt-4">
        {counted(s.pages_over_before, "page")} over budget before;{" "}
        <strong className={stillOver ? "text-madder" : "text-stem"}>
          {stillOver ? `${stillOver} still over` : "none is over now"}
        </strong>
        .
      </p>
      <TierTable savings={s} />
      {s.loads && <Loads report={s.loads} view={{ ...view, tier }} />}
      <ul className="mt-6 divide-y divide-rule border-y border-rule">
        {s.pages.map((page) => (
          <PageLine
            key={page.page_id}
            page={page}
            tier={tier}
            scale={Math.max(s.heaviest, site.page_budget)}
          />
        ))}
      </ul>
    </>
  );
}

function TierTable({ savings: s }: { savings: Schemas["SavingsOut"] }) {
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
  const siteId = String(site.id);
  const after = page.after[tier] ?? page.before;
  const over = after > page.allowed;
  return (
    <li className="grid grid-cols-1 items-start gap-x-6 gap-y-1 py-2.5 md:grid-cols-[minmax(150px,230px)_minmax(0,1fr)_210px]">
      <Link
        to="/sites/$siteId/audit/$pageId"
        params={{ siteId, pageId: String(page.page_id) }}
        className="truncate"
      >
        {page.path}
      </Link>
      <WeightStrip
        name={page.path}
        total={page.before}
        segments={page.segments}
        state={page.state_before}
        budget={page.allowed}
        scale={scale}
        after={after}
        onOpen={openImage}
      />
      <p className="figure md:text-right">
        {bytes(page.before)} → <span className="text-thistle">{bytes(after)}</span>
        <span className={`block text-[12.5px] ${over ? INKS.over : "text-ink-soft"}`}>
          {over ? `still ${against(after, page.allowed)}` : `${bytes(page.before - after)} saved`}
        </span>
      </p>
    </li>
  );
}
