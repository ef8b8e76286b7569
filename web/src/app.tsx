import { useQuery, useQueryClient } from "@tanstack/react-query";
import {
  BookOpen,
  CalendarClock,
  CircleQuestionMark,
  Database,
  FileStack,
  House,
  ListChecks,
  LogOut,
  MonitorCog,
  ScrollText,
  Shapes,
  UserRound,
} from "lucide-react";
import { lazy, Suspense, useEffect, useState, type ReactNode } from "react";
import { Link, Navigate, NavLink, Route, Routes, useLocation, useNavigate, useParams } from "react-router";
import { api, Fault, must } from "./api/client";
import { who, workspaces } from "./api/queries";
import { SignIn, SignInAgain, TakeInvitation } from "./pages/signin";
import { StartPage, when } from "./pages/start";
import { Toasts } from "./ui/toast";
import { letterOf } from "./ui/keys";
import { Boundary, ConnectionBanner } from "./ui/connection";
import { Button, Choose, cx, Empty, Loading, Menu, MenuItem, Wrong } from "./ui/parts";
import { applyTheme } from "./ui/theme";

const Bench = lazy(() => import("./bench/bench").then((m) => ({ default: m.Bench })));
const BundlePage = lazy(() => import("./pages/bundle").then((m) => ({ default: m.BundlePage })));
const FeedsPage = lazy(() => import("./pages/feeds").then((m) => ({ default: m.FeedsPage })));
const ImportsPage = lazy(() => import("./pages/imports").then((m) => ({ default: m.ImportsPage })));
const RecordPage = lazy(() => import("./pages/record").then((m) => ({ default: m.RecordPage })));
const RecordsPage = lazy(() => import("./pages/records").then((m) => ({ default: m.RecordsPage })));
const RoutinesPage = lazy(() => import("./pages/routines").then((m) => ({ default: m.RoutinesPage })));
const TypesPage = lazy(() => import("./pages/types").then((m) => ({ default: m.TypesPage })));
const AccountPage = lazy(() => import("./pages/account").then((m) => ({ default: m.AccountPage })));
const LogPage = lazy(() => import("./pages/log").then((m) => ({ default: m.LogPage })));
const Help = lazy(() => import("./ui/help"));
const ApiPage = lazy(() => import("./pages/api"));

export function App() {
  const invited = useLocation().pathname === "/invitation";
  const me = useQuery(who);
  if (invited) return <TakeInvitation />;
  const ended = me.error instanceof Fault && me.error.problem.status === 401;
  if (!me.data) {
    if (me.isPending) return <Loading what="who you are" />;
    if (ended) return <SignIn />;
    return (
      <main className="mx-auto mt-24 max-w-md space-y-3">
        <Wrong error={me.error} />
        <Button onClick={() => void me.refetch()}>Try again</Button>
      </main>
    );
  }
  return (
    <>
      <Pages />
      <Toasts />
      {ended && <SignInAgain email={me.data.email} />}
    </>
  );
}

function Pages() {
  return (
    <Routes>
      <Route path="/" element={<Home />} />
      <Route path="/w/:workspace" element={<Frame page={<StartPage />} />} />
      <Route path="/w/:workspace/imports" element={<Frame page={<ImportsPage />} />} />
      <Route path="/w/:workspace/imports/:id" element={<Navigate to="source" replace />} />
      <Route path="/w/:workspace/imports/:id/:station" element={<Frame page={<Bench />} />} />
      <Route path="/w/:workspace/bundles/:id" element={<Frame page={<BundlePage />} />} />
      <Route path="/w/:workspace/records" element={<Navigate to="account" replace />} />
      <Route path="/w/:workspace/records/:type" element={<Frame page={<RecordsPage />} />} />
      <Route path="/w/:workspace/records/:type/:id" element={<Frame page={<RecordPage />} />} />
      <Route path="/w/:workspace/routines" element={<Frame page={<RoutinesPage />} />} />
      <Route path="/w/:workspace/routines/:name" element={<Frame page={<RoutinesPage />} />} />
      <Route path="/w/:workspace/feeds" element={<Frame page={<FeedsPage />} />} />
      <Route path="/w/:workspace/feeds/:name" element={<Frame page={<FeedsPage />} />} />
      <Route path="/w/:workspace/types" element={<Frame page={<TypesPage />} />} />
      <Route path="/w/:workspace/types/:type" element={<Frame page={<TypesPage />} />} />
      <Route path="/w/:workspace/account" element={<Frame page={<AccountPage />} />} />
      <Route path="/w/:workspace/log" element={<Frame page={<LogPage />} />} />
      <Route path="/w/:workspace/api" element={<Frame page={<ApiPage />} />} />
      <Route path="/w/:workspace/*" element={<Frame page={<Nowhere />} />} />
      <Route path="*" element={<Frame page={<Nowhere />} />} />
    </Routes>
  );
}

/** To the main workspace, or the first that one may look at. */
function Home() {
  const list = useQuery(workspaces);
  if (list.error) return <Wrong error={list.error} className="m-6" />;
  if (!list.data) return <Loading what="the workspaces" />;
  const names = list.data.workspaces.map((w) => w.name);
  return names.length ? (
    <Navigate to={`/w/${names.includes("main") ? "main" : names[0]}`} replace />
  ) : (
    <Empty title="There is no workspace that you may look at">Ask an administrator.</Empty>
  );
}

/** An address that leads to nothing. */
function Nowhere() {
  const { workspace = "main" } = useParams();
  return (
    <Empty title="There is no such page">
      <title>No such page · Uchi</title>
      The address <code className="font-mono text-[12.5px] break-all">{location.pathname}</code> leads nowhere.{" "}
      <Link className="text-act underline" to={`/w/${workspace}`}>
        Go to the start page
      </Link>
    </Empty>
  );
}

function Frame({ page }: { page: ReactNode }) {
  const { workspace = "main" } = useParams();
  const base = `/w/${workspace}`;
  const pathname = useLocation().pathname.replace(/^(\/w\/[^/]+\/imports\/\d+).*/, "$1"); // the stations are one page
  const here = useLocation();
  const [helping, setHelping] = useState(false);
  const me = useQuery(who);
  const client = useQueryClient();
  useEffect(() => {
    void client.invalidateQueries({ queryKey: who.queryKey }); // what one may do may differ here
  }, [client, workspace]);
  useEffect(() => {
    const key = (e: KeyboardEvent) => {
      const letter = letterOf(e);
      if (letter === "?") setHelping(true);
      else if (letter === "/") document.querySelector<HTMLInputElement>("[data-search]")?.focus();
      else return;
      e.preventDefault();
    };
    window.addEventListener("keydown", key);
    return () => window.removeEventListener("keydown", key);
  }, []);
  const places = [
    { to: base, label: "Start", icon: House, end: true },
    { to: `${base}/imports`, label: "Imports", icon: FileStack },
    { to: `${base}/records`, label: "Records", icon: Database },
    { to: `${base}/routines`, label: "Routines", icon: ListChecks },
    { to: `${base}/feeds`, label: "Feeds", icon: CalendarClock },
    { to: `${base}/types`, label: "Record types", icon: Shapes },
    ...(me.data?.everywhere === "administrator" ? [{ to: `${base}/log`, label: "Log", icon: ScrollText }] : []),
    { to: `${base}/api`, label: "API", icon: BookOpen },
  ];
  return (
    <div className="grid h-full grid-cols-[176px_1fr] grid-rows-[auto_1fr] max-[1100px]:grid-cols-[56px_1fr]">
      <a
        href="#page"
        className="sr-only focus:not-sr-only focus:absolute focus:z-50 focus:m-2 focus:rounded-md focus:bg-raised focus:px-3 focus:py-1.5 focus:shadow-pop"
      >
        Skip to the page
      </a>
      <div className="col-span-2">
        <ConnectionBanner />
      </div>
      <nav aria-label="Main" className="flex flex-col border-r border-line bg-paper px-2.5 py-3">
        <a href={base} className="mb-4 flex items-center gap-2 px-1.5 font-head text-[19px]">
          <img src="/mark.svg" alt="" width={24} height={24} />
          <span className="max-[1100px]:sr-only">Uchi</span>
        </a>
        {places.map(({ to, label, icon: Icon, end }) => (
          <NavLink
            key={to}
            to={to}
            end={end ?? false}
            className={({ isActive }) =>
              cx(
                "mb-0.5 flex items-center gap-2.5 rounded-md px-2 py-1.5",
                isActive || (label === "Imports" && here.pathname.startsWith(`${base}/bundles/`))
                  ? "bg-act-soft font-medium text-ink"
                  : "text-ink-soft hover:bg-act-soft",
              )
            }
          >
            <Icon size={16} aria-hidden />
            <span className="max-[1100px]:sr-only">{label}</span>
          </NavLink>
        ))}
        <div className="mt-auto space-y-2">
          <button
            type="button"
            onClick={() => setHelping(true)}
            className="flex w-full items-center gap-2 rounded-md px-2 py-1.5 text-left text-ink-soft hover:bg-act-soft"
          >
            <CircleQuestionMark size={16} aria-hidden />
            <span className="max-[1100px]:sr-only">Help and keys</span>
          </button>
          <WorkspaceChoice workspace={workspace} />
          <Me workspace={workspace} />
        </div>
      </nav>
      <main id="page" tabIndex={-1} className="min-h-0 min-w-0 overflow-auto focus-visible:outline-none">
        <UnderClosed workspace={workspace}>
          <Boundary key={pathname} what="This page">
            <Suspense fallback={<Loading what="the page" />}>{page}</Suspense>
          </Boundary>
        </UnderClosed>
      </main>
      {helping && (
        <Suspense fallback={null}>
          <Help address={here.pathname + here.search} onClose={() => setHelping(false)} />
        </Suspense>
      )}
    </div>
  );
}

/** Says above the page of a closed workspace that nothing in it changes. */
function UnderClosed({ workspace, children }: { workspace: string; children: ReactNode }) {
  const list = useQuery(workspaces);
  const since = list.data?.workspaces.find((w) => w.name === workspace)?.closed_at;
  if (!since) return children;
  return (
    <div className="flex h-full flex-col">
      <p role="status" className="shrink-0 border-b border-ask bg-ask-soft px-5 py-1.5 text-[12.5px]">
        <b className="font-medium">This workspace is closed</b> since {when(since)}: it can be looked at, and nothing in it
        changes. Administrators open it again{" "}
        <Link className="text-act underline" to="/w/main/account">
          at the workspaces
        </Link>
        .
      </p>
      <div className="min-h-0 flex-1 overflow-auto">{children}</div>
    </div>
  );
}

function WorkspaceChoice({ workspace }: { workspace: string }) {
  const list = useQuery(workspaces);
  const go = useNavigate();
  if (!list.data || list.data.workspaces.length < 2) return null;
  return (
    <div className="max-[1100px]:hidden">
      <Choose
        label="Workspace"
        value={workspace}
        onChange={(w) => void go(`/w/${w}`)}
        options={list.data.workspaces.map((w) => ({ value: w.name, label: w.label ?? w.name }))}
      />
    </div>
  );
}

function Me({ workspace }: { workspace: string }) {
  const me = useQuery(who);
  const client = useQueryClient();
  const go = useNavigate();
  return (
    <Menu
      trigger={
        <button
          type="button"
          className="flex w-full items-center gap-2 rounded-md px-2 py-1.5 text-left text-ink-soft hover:bg-act-soft"
        >
          <UserRound size={16} aria-hidden />
          <span className="truncate max-[1100px]:sr-only">{me.data?.name}</span>
        </button>
      }
    >
      <MenuItem onSelect={() => void go(`/w/${workspace}/account`)}>
        <UserRound size={14} /> People, tokens, workspaces
      </MenuItem>
      <MenuItem onSelect={() => applyTheme("light")}>
        <MonitorCog size={14} /> Light
      </MenuItem>
      <MenuItem onSelect={() => applyTheme("dark")}>
        <MonitorCog size={14} /> Dark
      </MenuItem>
      <MenuItem onSelect={() => applyTheme("system")}>
        <MonitorCog size={14} /> As the system
      </MenuItem>
      <MenuItem
        onSelect={() =>
          void must(api.DELETE("/session")).finally(() => {
            client.clear();
            void client.invalidateQueries();
            location.assign("/");
          })
        }
      >
        <LogOut size={14} /> Sign out
      </MenuItem>
    </Menu>
  );
}
