import {
  createRootRoute,
  createRoute,
  createRouter,
  Link,
  lazyRouteComponent,
  Outlet,
  redirect,
} from "@tanstack/react-router";
import { AuditScreen } from "@/features/audit/audit-screen";
import { readFilter } from "@/features/library/library-filter";
import { readProofView } from "@/features/proof/proof-view";
import { readSavingsView } from "@/features/savings/savings-view";
import { SitesScreen } from "@/features/sites/sites-screen";
import { Empty } from "@/shared/ui/basics";
import { Patterns } from "@/shared/ui/state";
import { readView } from "@/shared/ui/view";
import { SiteFrame } from "./site-frame";

const root = createRootRoute({
  component: () => (
    <>
      <Patterns />
      <Outlet />
    </>
  ),
  notFoundComponent: () => (
    <main className="p-8">
      <Empty>
        There is nothing at this address. <Link to="/">Go to the sites</Link>
      </Empty>
    </main>
  ),
});
const sites = createRoute({ getParentRoute: () => root, path: "/", component: SitesScreen });
const newSite = createRoute({
  getParentRoute: () => root,
  path: "/new",
  component: lazyRouteComponent(() => import("@/features/sites/new-site-screen"), "NewSiteScreen"),
});
const site = createRoute({ getParentRoute: () => root, path: "/sites/$siteId", component: SiteFrame });
const siteStart = createRoute({
  getParentRoute: () => site,
  path: "/",
  beforeLoad: ({ params }) => {
    throw redirect({ to: "/sites/$siteId/audit", params });
  },
});
const capture = createRoute({
  getParentRoute: () => site,
  path: "capture",
  component: lazyRouteComponent(() => import("@/features/capture/capture-screen"), "CaptureScreen"),
});
const audit = createRoute({
  getParentRoute: () => site,
  path: "audit",
  component: AuditScreen,
  validateSearch: readView,
});
const page = createRoute({
  getParentRoute: () => site,
  path: "audit/$pageId",
  component: lazyRouteComponent(() => import("@/features/audit/page-screen"), "PageScreen"),
  validateSearch: readView,
});
const findings = createRoute({
  getParentRoute: () => site,
  path: "findings",
  component: lazyRouteComponent(() => import("@/features/audit/findings-screen"), "FindingsScreen"),
});
const library = createRoute({
  getParentRoute: () => site,
  path: "library",
  component: lazyRouteComponent(() => import("@/features/library/library-screen"), "LibraryScreen"),
  validateSearch: readFilter,
});
const image = createRoute({
  getParentRoute: () => site,
  path: "library/$imageId",
  component: lazyRouteComponent(() => import("@/features/library/image-screen"), "ImageScreen"),
});
const treatment = createRoute({
  getParentRoute: () => site,
  path: "treatment",
  component: lazyRouteComponent(() => import("@/features/treatment/treatment-screen"), "TreatmentScreen"),
  validateSearch: readView,
});
const runs = createRoute({
  getParentRoute: () => site,
  path: "runs",
  component: lazyRouteComponent(() => import("@/features/runs/run-screen"), "RunScreen"),
});
const proof = createRoute({
  getParentRoute: () => site,
  path: "proof",
  component: lazyRouteComponent(() => import("@/features/proof/proof-screen"), "ProofScreen"),
  validateSearch: readProofView,
});
const savings = createRoute({
  getParentRoute: () => site,
  path: "savings",
  component: lazyRouteComponent(() => import("@/features/savings/savings-screen"), "SavingsScreen"),
  validateSearch: readSavingsView,
});
const handover = createRoute({
  getParentRoute: () => site,
  path: "handover",
  validateSearch: (search: Record<string, unknown>): { part?: string } =>
    typeof search.part === "string" ? { part: search.part } : {},
  component: lazyRouteComponent(() => import("@/features/handover/handover-screen"), "HandoverScreen"),
});

export const router = createRouter({
  routeTree: root.addChildren([
    sites,
    newSite,
    site.addChildren([
      siteStart,
      capture,
      audit,
      page,
      findings,
      library,
      image,
      treatment,
      runs,
      proof,
      savings,
      handover,
    ]),
  ]),
  scrollRestoration: true,
});

declare module "@tanstack/react-router" {
  interface Register {
    router: typeof router;
  }
}
