import { useQuery, useQueryClient } from "@tanstack/react-query";
import { BookOpen, Database, FileStack, House, ListChecks, LogOut, MonitorCog, Shapes, UserRound } from "lucide-react";
import { lazy, Suspense, type ReactNode } from "react";
import { Navigate, NavLink, Route, Routes, useNavigate, useParams } from "react-router";
import { api, Fault, must } from "./api/client";
import { who, workspaces } from "./api/queries";
import { Bench } from "./bench/bench";
import { ImportsPage } from "./pages/imports";
import { RecordPage } from "./pages/record";
import { RecordsPage } from "./pages/records";
import { SignIn } from "./pages/signin";
import { RoutinesPage } from "./pages/routines";
import { StartPage } from "./pages/start";
import { TypesPage } from "./pages/types";
import { AccountPage } from "./pages/account";
import { Choose, cx, Empty, Loading, Menu, MenuItem, Wrong } from "./ui/parts";
import { applyTheme } from "./ui/theme";

const ApiPage = lazy(() => import("./pages/api"));

export function App() {
  const me = useQuery(who);
  if (me.isPending) return <Loading what="who you are" />;
  if (me.error instanceof Fault && me.error.problem.status === 401) return <SignIn />;
  if (me.error)
    return (
      <main className="mx-auto mt-24 max-w-md">
        <Wrong error={me.error} />
      </main>
    );
  return (
    <Routes>
      <Route path="/" element={<Navigate to="/w/main" replace />} />
      <Route path="/w/:workspace" element={<Frame page={<StartPage />} />} />
      <Route path="/w/:workspace/imports" element={<Frame page={<ImportsPage />} />} />
      <Route path="/w/:workspace/imports/:id" element={<Navigate to="source" replace />} />
      <Route path="/w/:workspace/imports/:id/:station" element={<Frame page={<Bench />} />} />
      <Route path="/w/:workspace/records" element={<Navigate to="account" replace />} />
      <Route path="/w/:workspace/records/:type" element={<Frame page={<RecordsPage />} />} />
      <Route path="/w/:workspace/records/:type/:id" element={<Frame page={<RecordPage />} />} />
      <Route path="/w/:workspace/routines" element={<Frame page={<RoutinesPage />} />} />
      <Route path="/w/:workspace/routines/:name" element={<Frame page={<RoutinesPage />} />} />
      <Route path="/w/:workspace/types" element={<Frame page={<TypesPage />} />} />
      <Route path="/w/:workspace/types/:type" element={<Frame page={<TypesPage />} />} />
      <Route path="/w/:workspace/account" element={<Frame page={<AccountPage />} />} />
      <Route
        path="/w/:workspace/api"
        element={
          <Frame
            page={
              <Suspense fallback={<Loading what="the contract" />}>
                <ApiPage />
              </Suspense>
            }
          />
        }
      />
      <Route path="*" element={<Empty title="There is no such page">Go back to the start page.</Empty>} />
    </Routes>
  );
}

function Frame({ page }: { page: ReactNode }) {
  const { workspace = "main" } = useParams();
  const base = `/w/${workspace}`;
  const places = [
    { to: base, label: "Start", icon: House, end: true },
    { to: `${base}/imports`, label: "Imports", icon: FileStack },
    { to: `${base}/records`, label: "Records", icon: Database },
    { to: `${base}/routines`, label: "Routines", icon: ListChecks },
    { to: `${base}/types`, label: "Record types", icon: Shapes },
    { to: `${base}/api`, label: "Interface", icon: BookOpen },
  ];
  return (
    <div className="grid h-full grid-cols-[176px_1fr] max-[1100px]:grid-cols-[56px_1fr]">
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
                isActive ? "bg-act-soft font-medium text-ink" : "text-ink-soft hover:bg-act-soft",
              )
            }
          >
            <Icon size={16} aria-hidden />
            <span className="max-[1100px]:sr-only">{label}</span>
          </NavLink>
        ))}
        <div className="mt-auto space-y-2">
          <WorkspaceChoice workspace={workspace} />
          <Me workspace={workspace} />
        </div>
      </nav>
      <main className="min-h-0 min-w-0 overflow-auto">{page}</main>
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
        <UserRound size={14} /> People and tokens
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
