import { PanelRightClose, PanelRightOpen } from "lucide-react";
import { useState, type ReactNode } from "react";
import { cx } from "./parts";

const store = "uchi.sidepanel";
const narrowest = 260;
const widest = 900;
const usual = 320;
const step = 24;

interface Kept {
  width: number;
  folded: boolean;
}

function kept(): Kept {
  try {
    return { width: usual, folded: false, ...(JSON.parse(localStorage.getItem(store) ?? "{}") as Partial<Kept>) };
  } catch {
    return { width: usual, folded: false };
  }
}

/** What stands beside the grid: as wide as the person wants it, or folded away. On a narrow page it stands below. */
export function SidePanel({ wide, children }: { wide: boolean; children: ReactNode }) {
  const [{ width, folded }, set] = useState(kept);
  const keep = (next: Partial<Kept>) => {
    const all = { width, folded, ...next };
    set(all);
    localStorage.setItem(store, JSON.stringify(all));
  };
  const setWidth = (w: number) => keep({ width: Math.max(narrowest, Math.min(widest, Math.round(w))) });
  const Icon = folded ? PanelRightOpen : PanelRightClose;
  return (
    <>
      <div className="relative w-0 max-[900px]:hidden">
        {!folded && (
          <div
            role="separator"
            aria-orientation="vertical"
            aria-label="Width of the side panel"
            aria-valuenow={width}
            aria-valuemin={narrowest}
            aria-valuemax={widest}
            tabIndex={0}
            className="absolute top-0 -left-0.5 z-30 h-full w-1.5 cursor-col-resize touch-none hover:bg-act focus-visible:bg-act"
            onKeyDown={(e) => {
              if (e.key === "ArrowLeft") setWidth(width + step);
              else if (e.key === "ArrowRight") setWidth(width - step);
              else return;
              e.preventDefault();
            }}
            onPointerDown={(e) => {
              e.preventDefault();
              const start = e.clientX + width;
              const el = e.currentTarget;
              el.setPointerCapture(e.pointerId);
              el.onpointermove = (m) => setWidth(start - m.clientX);
              el.onpointerup = () => {
                el.onpointermove = null;
                el.onpointerup = null;
              };
            }}
          />
        )}
        <button
          type="button"
          aria-label={folded ? "Show the side panel" : "Fold the side panel away"}
          aria-expanded={!folded}
          onClick={() => keep({ folded: !folded })}
          className={cx(
            "absolute bottom-2 z-30 rounded-md border border-line-strong bg-raised p-1 text-ink-soft hover:border-act hover:text-act",
            folded ? "right-2" : "-left-9",
          )}
        >
          <Icon size={15} aria-hidden />
        </button>
      </div>
      <aside
        aria-label="Side panel"
        className={cx(
          "flex min-h-0 shrink-0 flex-col border-l border-line bg-sheet max-[900px]:w-full! max-[900px]:border-t max-[900px]:border-l-0",
          folded && "min-[901px]:hidden",
        )}
        style={{ width: wide ? `max(${width}px, 40%)` : width }}
      >
        {children}
      </aside>
    </>
  );
}
