import { createRootRoute, createRoute, createRouter, Link, Outlet, redirect } from "@tanstack/react-router";
import { AuditScreen } from "@/features/audit/audit-screen";
import { readView } from "@/features/audit/audit-view";
import { PageScreen } from "@/features/audit/page-screen";
import { CaptureScreen } from "@/features/capture/capture-screen";
import { HandoverScreen } from "@/features/handover/handover-screen";
import { ImageScreen } from "@/features/library/image-screen";
import { readFilter } from "@/features/library/library-filter";
import { LibraryScreen } from "@/features/library/library-screen";
import { RunScreen } from "@/features/runs/run-screen";
import { SavingsScreen } from "@/features/savings/savings-screen";
import { NewSiteScreen } from "@/features/sites/new-site-screen";
import { SitesScreen } from "@/features/sites/sites-screen";
import { TreatmentScreen } from "@/features/treatment/treatment-screen";
import { Empty } from "@/shared/ui/basics";
import { Patterns } from "@/shared/ui/state";
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
const newSite = createRoute({ getParentRoute: () => root, path: "/new", component: NewSiteScreen });
const site = createRoute({ getParentRoute: () => root, path: "/sites/$siteId", component: SiteFrame });
const siteStart = createRoute({
  getParentRoute: () => site,
  path: "/",
  beforeLoad: ({ params }) => {
    throw redirect({ to: "/sites/$siteId/audit", params });
  },
});
const capture = createRoute({ getParentRoute: () => site, path: "capture", component: CaptureScreen });
const audit = createRoute({
  getParentRoute: () => site,
  path: "audit",
  component: AuditScreen,
  validateSearch: readView,
});
const page = createRoute({
  getParentRoute: () => site,
  path: "audit/$pageId",
  component: PageScreen,
  validateSearch: readView,
});
const library = createRoute({
  getParentRoute: () => site,
  path: "library",
  component: LibraryScreen,
  validateSearch: readFilter,
});
const image = createRoute({ getParentRoute: () => site, path: "library/$imageId", component: ImageScreen });
const treatment = createRoute({ getParentRoute: () => site, path: "treatment", component: TreatmentScreen });
const runs = createRoute({ getParentRoute: () => site, path: "runs", component: RunScreen });
const savings = createRoute({ getParentRoute: () => site, path: "savings", component: SavingsScreen });
const handover = createRoute({ getParentRoute: () => site, path: "handover", component: HandoverScreen });

export const router = createRouter({
  routeTree: root.addChildren([
    sites,
    newSite,
    site.addChildren([siteStart, capture, audit, page, library, image, treatment, runs, savings, handover]),
  ]),
  scrollRestoration: true,
});

declare module "@tanstack/react-router" {
  interface Register {
    router: typeof router;
  }
}
