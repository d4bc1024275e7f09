import { useQuery } from "@tanstack/react-query";
import { Link, useNavigate, useSearch } from "@tanstack/react-router";
import { api, type Schemas, told } from "@/shared/api/client";
import { bytes, counted, less } from "@/shared/format/figures";
import { buttonLook, Empty, Failed, Loading, Title } from "@/shared/ui/basics";
import { Choice } from "@/shared/ui/choice";
import { useSite } from "@/shared/ui/site-context";
import { ViewSentence, withDefaults } from "@/shared/ui/view";
import { useTier } from "@/shared/ui/vocabulary";
import { Audience } from "./audience";
import { PagesByReference } from "./by-reference";
import { PagesSaved } from "./pages-saved";
import { ReportDialog } from "./report-dialog";
import type { SavingsView } from "./savings-view";
import { WholeSite } from "./whole-site";

const TABS = [
  ["pages", "Pages"],
  ["site", "The site as a whole"],
  ["audience", "Who visits"],
] as const;
type Tab = (typeof TABS)[number][0];

/** What pages load before and after, on every screen and in every tier: the figures that all this is for. */
export function SavingsScreen() {
  const site = useSite();
  const done = site.run_state === "done" && site.run_id !== null;
  const savings = useQuery({
    queryKey: ["run", site.run_id, "savings", site],
    queryFn: () =>
      told(api.GET("/api/v1/runs/{run_id}/savings", { params: { path: { run_id: site.run_id ?? 0 } } })),
    enabled: done,
    placeholderData: (old) => old,
  });
  if (!done) {
    return (
      <Empty>
        Savings are known once a run is done.{" "}
        <Link to="/sites/$siteId/runs" params={{ siteId: String(site.id) }}>
          See the run
        </Link>
      </Empty>
    );
  }
  if (savings.isPending) return <Loading screen what="the savings" />;
  if (savings.isError) return <Failed screen error={savings.error} again={() => savings.refetch()} />;
  return savings.data.totals.length > 0 ? (
    <AsLoaded savings={savings.data} run={site.run_id ?? 0} />
  ) : (
    <PagesByReference savings={savings.data} />
  );
}

function AsLoaded({ savings: s, run }: { savings: Schemas["SavingsOut"]; run: number }) {
  const site = useSite();
  const navigate = useNavigate({ from: "/sites/$siteId/savings" });
  const search = useSearch({ from: "/sites/$siteId/savings" });
  const tier = useTier(search.tier ?? "");
  const screens = [...new Set(s.totals.map((t) => t.screen))];
  const usual = screens.reduce((a, b) =>
    (s.audience.screens[b] ?? 0) > (s.audience.screens[a] ?? 0) ? b : a,
  );
  const screen = screens.includes(search.screen ?? "") ? (search.screen ?? "") : usual;
  const view = { ...withDefaults(search), screen, tier: tier.name };
  const change = (part: Partial<SavingsView>) =>
    navigate({ search: (old) => ({ ...old, ...part }), replace: true });
  const total = s.totals.find((t) => t.screen === screen && t.tier === tier.name && t.part === view.part);
  const tab: Tab = TABS.find(([key]) => key === search.tab)?.[0] ?? "pages";
  const kinds = site.screens.filter((known) => screens.includes(known.name));
  const heavier = [...new Set(s.totals.flatMap((t) => t.heavier))];
  return (
    <>
      <Title
        side={
          <div className="flex flex-wrap gap-3 print:hidden">
            <ReportDialog run={run} screens={screens} view={view} />
            <Link to="/sites/$siteId/handover" params={{ siteId: String(site.id) }} className={buttonLook}>
              Take the handover
            </Link>
          </div>
        }
      >
        {total ? `${bytes(total.before - total.after)} saved, ${less(total.before, total.after)}` : "Savings"}
      </Title>
      <ViewSentence
        view={view}
        change={change}
        screens={
          kinds.length === screens.length ? kinds : screens.map((name) => [name, `a ${name}`] as const)
        }
        words={["part", "tier", "line"]}
      >
        {total ? <Sum total={total} /> : "nothing is known of these visitors in this run."}
      </ViewSentence>
      {heavier.length > 0 && (
        <p role="alert" className="mb-4 rounded border border-madder bg-card p-3 text-madder">
          {counted(heavier.length, "page")} would load more than before somewhere:{" "}
          {heavier.slice(0, 5).join(", ")}
          {heavier.length > 5 && ` and ${heavier.length - 5} more`}. Look at{" "}
          {heavier.length === 1 ? "it" : "them"} before anything leaves.
        </p>
      )}
      <div className="mb-5 print:hidden">
        <Choice
          label="Part of the savings"
          value={tab}
          choices={TABS}
          onChange={(next) => change({ tab: next })}
        />
      </div>
      {tab === "pages" && <PagesSaved run={run} view={{ ...search, ...view }} change={change} />}
      {tab === "site" && <WholeSite savings={s} view={view} />}
      {tab === "audience" && <Audience savings={s} />}
    </>
  );
}

/** The end of the sentence: what all pages weigh, how many are still over, and whether anybody has loaded them. */
function Sum({ total: t }: { total: Schemas["TotalOut"] }) {
  return (
    <>
      {counted(t.pages, "page")} {t.pages === 1 ? "weighs" : "weigh"}{" "}
      <strong className="text-thistle">{bytes(t.after)}</strong> instead of {bytes(t.before)};{" "}
      <strong className={t.over_after ? "text-madder" : "text-stem"}>
        {t.over_after ? `${t.over_after} still over budget` : "none over budget"}
      </strong>
      {t.over_before > 0 && ` (${t.over_before} before)`}.{" "}
      {t.measured_after !== null
        ? `Measured in Chromium: ${bytes(t.measured_after)} instead of ${bytes(t.measured_before ?? 0)}.`
        : "Foretold from the handed-over markup; a check loads them in Chromium."}
    </>
  );
}
