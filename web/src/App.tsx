import { Button, type InputRef } from "antd";
import { lazy, Suspense, useEffect, useRef, useState } from "react";
import { Navigate, NavLink, Route, Routes, useLocation, useNavigate } from "react-router";
import { ApiError } from "./api/client";
import { useChanges } from "./api/useChanges";
import { useSite } from "./api/useSite";
import { lastPicture } from "./bench/lastPicture";
import { JobsButton } from "./jobs/JobsButton";
import { DropZone } from "./library/DropZone";
import { LibraryPage } from "./library/LibraryPage";
import { SearchField } from "./library/SearchField";
import { SiteSwitch } from "./sites/SiteSwitch";
import { ConnectionNote } from "./ui/ConnectionNote";
import { ErrorBoundary } from "./ui/ErrorBoundary";
import { lastAddress, useLastAddress } from "./ui/lastAddress";
import { NoticeStrip } from "./ui/NoticeStrip";
import { Opened } from "./ui/Opened";
import type { Mode } from "./ui/tokens";
import { useAddress } from "./ui/useAddress";
import { useKey } from "./ui/useKey";
import { useTitle } from "./ui/useTitle";
import { Waiting } from "./ui/Waiting";
import { WeaknessNote } from "./ui/WeaknessNote";

// What is not the first screen comes when it is opened.
const BenchPage = lazy(() => import("./bench/BenchPage").then(({ BenchPage }) => ({ default: BenchPage })));
const LayoutsPage = lazy(() => import("./layouts/LayoutsPage").then(({ LayoutsPage }) => ({ default: LayoutsPage })));
const PairsPage = lazy(() => import("./library/PairsPage").then(({ PairsPage }) => ({ default: PairsPage })));
const PictureView = lazy(() => import("./library/PictureView").then(({ PictureView }) => ({ default: PictureView })));
const ChangesPage = lazy(() => import("./library/ChangesPage").then(({ ChangesPage }) => ({ default: ChangesPage })));
const RunsPage = lazy(() => import("./runs/RunsPage").then(({ RunsPage }) => ({ default: RunsPage })));
const RunPage = lazy(() => import("./runs/RunPage").then(({ RunPage }) => ({ default: RunPage })));
const CheckPage = lazy(() => import("./runs/CheckPage").then(({ CheckPage }) => ({ default: CheckPage })));
const ComparePage = lazy(() => import("./runs/ComparePage").then(({ ComparePage }) => ({ default: ComparePage })));
const PublishPage = lazy(() => import("./publish/PublishPage").then(({ PublishPage }) => ({ default: PublishPage })));
const PublicationPage = lazy(() =>
  import("./publish/PublicationPage").then(({ PublicationPage }) => ({ default: PublicationPage })),
);
const ArchivesPage = lazy(() =>
  import("./margins/ArchivesPage").then(({ ArchivesPage }) => ({ default: ArchivesPage })),
);
const HistoryPage = lazy(() => import("./margins/HistoryPage").then(({ HistoryPage }) => ({ default: HistoryPage })));
const IconsPage = lazy(() => import("./icons/IconsPage").then(({ IconsPage }) => ({ default: IconsPage })));
const MarginsPage = lazy(() => import("./margins/MarginsPage").then(({ MarginsPage }) => ({ default: MarginsPage })));
const PageMarginsPage = lazy(() =>
  import("./margins/PageMarginsPage").then(({ PageMarginsPage }) => ({ default: PageMarginsPage })),
);
const OverrunStrip = lazy(() => import("./ui/OverrunStrip").then(({ OverrunStrip }) => ({ default: OverrunStrip })));
const RunStrip = lazy(() => import("./ui/RunStrip").then(({ RunStrip }) => ({ default: RunStrip })));
const NewRunPage = lazy(() => import("./runs/NewRunPage").then(({ NewRunPage }) => ({ default: NewRunPage })));
const SiteSheet = lazy(() => import("./sites/SiteSheet").then(({ SiteSheet }) => ({ default: SiteSheet })));
const JobsSheet = lazy(() => import("./jobs/JobsSheet").then(({ JobsSheet }) => ({ default: JobsSheet })));
const ArrivalsSheet = lazy(() =>
  import("./library/ArrivalsSheet").then(({ ArrivalsSheet }) => ({ default: ArrivalsSheet })),
);
const Shortcuts = lazy(() => import("./ui/Shortcuts").then(({ Shortcuts }) => ({ default: Shortcuts })));

/** Views that are come back to as they were left. */
const LISTS = ["/margins", "/library", "/layouts"];

/** The frame: site and search on top, the rail of words, the page and its tally. */
export function App({ mode, onMode }: { mode: Mode; onMode: (mode: Mode) => void }) {
  useChanges();
  const navigate = useNavigate();
  const site = useSite();
  const [keysOpen, setKeysOpen] = useState(false);
  const [arrivalsOpen, setArrivalsOpen] = useState(false);
  const [jobsOpen, setJobsOpen] = useState(false);
  const [address, changeAddress] = useAddress();
  const siteOpen = address.get("sheet") === "site";
  const field = useRef<InputRef>(null);
  const bench = useBenchAddress();
  const { pathname } = useLocation();
  useLastAddress(LISTS);
  useFocusOnArrival(pathname);
  const going = useRef(false);

  useKey((event) => {
    const goes = going.current;
    going.current = event.key === "g";
    if (goes && event.key === "y") void navigate(lastAddress("/layouts"));
    else if (goes && event.key === "l") void navigate(lastAddress("/library"));
    else if (goes && event.key === "b") void navigate(bench);
    else if (goes && event.key === "r") void navigate("/runs");
    else if (goes && event.key === "m") void navigate(lastAddress("/margins"));
    else if (goes && event.key === "p") void navigate("/publish");
    else if (goes && event.key === "i") void navigate("/icons");
    else if (event.key === "?") setKeysOpen((open) => !open);
    else if (event.key === "a") setArrivalsOpen((open) => !open);
    else if (event.key === "/") {
      event.preventDefault();
      field.current?.focus({ cursor: "all" });
    }
  });

  if (site.error instanceof ApiError && site.error.status === 404) return <NoSite />;
  return (
    <DropZone
      onDrop={() => {
        setArrivalsOpen(true);
      }}
    >
      <div className="frame">
        <header className="top">
          <span className="mark">Brisk Margin</span>
          <SiteSwitch name={site.data?.name} />
          <span className="gap" />
          <SearchField ref={field} />
          <Button
            onClick={() => {
              setArrivalsOpen((open) => !open);
            }}
          >
            Uploads
          </Button>
          <JobsButton
            onClick={() => {
              setJobsOpen((open) => !open);
            }}
          />
          <Button
            onClick={() => {
              changeAddress({ sheet: siteOpen ? undefined : "site" }, "back");
            }}
          >
            Site settings
          </Button>
          <Button
            onClick={() => {
              onMode(mode === "dark" ? "light" : "dark");
            }}
          >
            {mode === "dark" ? "Light theme" : "Dark theme"}
          </Button>
          <Button
            aria-label="Shortcuts"
            title="Shortcuts"
            onClick={() => {
              setKeysOpen(true);
            }}
          >
            ?
          </Button>
        </header>
        <nav className="rail" aria-label="Work">
          <NavLink to={lastAddress("/margins")}>Margins</NavLink>
          <NavLink to={lastAddress("/layouts")}>Layouts</NavLink>
          <NavLink to={lastAddress("/library")}>Library</NavLink>
          <NavLink to={bench}>Bench</NavLink>
          <NavLink to="/runs">Runs</NavLink>
          <NavLink to="/publish">Publish</NavLink>
          <NavLink to="/icons">Icons</NavLink>
        </nav>
        <ErrorBoundary at={pathname}>
          <Suspense fallback={<Waiting words="Opening…" />}>
            <Routes>
              <Route path="/" element={<Navigate to="/margins" replace />} />
              <Route path="/margins" element={<MarginsPage />} />
              <Route path="/margins/har" element={<ArchivesPage />} />
              <Route path="/margins/history" element={<HistoryPage />} />
              <Route path="/margins/:id" element={<PageMarginsPage />} />
              <Route path="/layouts" element={<LayoutsPage />} />
              <Route path="/library" element={<LibraryPage />} />
              <Route path="/library/alike" element={<PairsPage />} />
              <Route path="/library/:id" element={<PictureView />} />
              <Route path="/bench" element={<BenchPage />} />
              <Route path="/bench/:id" element={<BenchPage />} />
              <Route path="/library/changes" element={<ChangesPage />} />
              <Route path="/runs" element={<RunsPage />} />
              <Route path="/runs/new" element={<NewRunPage />} />
              <Route path="/runs/:id" element={<RunPage />} />
              <Route path="/runs/:id/check" element={<CheckPage />} />
              <Route path="/runs/:id/against/:other" element={<ComparePage />} />
              <Route path="/publish" element={<PublishPage />} />
              <Route path="/publish/:id" element={<PublicationPage />} />
              <Route path="/icons" element={<IconsPage />} />
              <Route path="*" element={<Nowhere />} />
            </Routes>
          </Suspense>
        </ErrorBoundary>
        <div className="notes">
          <ConnectionNote />
          <WeaknessNote />
          <NoticeStrip />
          <Suspense>
            <RunStrip />
            <OverrunStrip />
          </Suspense>
        </div>
      </div>
      <Opened open={arrivalsOpen}>
        <ArrivalsSheet
          open={arrivalsOpen}
          onClose={() => {
            setArrivalsOpen(false);
          }}
        />
      </Opened>
      <Opened open={jobsOpen}>
        <JobsSheet
          open={jobsOpen}
          onClose={() => {
            setJobsOpen(false);
          }}
        />
      </Opened>
      <Opened open={siteOpen}>
        <SiteSheet
          open={siteOpen}
          onClose={() => {
            changeAddress({ sheet: undefined });
          }}
        />
      </Opened>
      <Opened open={keysOpen}>
        <Shortcuts
          open={keysOpen}
          onClose={() => {
            setKeysOpen(false);
          }}
        />
      </Opened>
    </DropZone>
  );
}

/** The focus goes along to another view, so that a screen reader tells of it. */
function useFocusOnArrival(pathname: string) {
  const first = useRef(true);
  useEffect(() => {
    if (first.current) {
      first.current = false;
      return;
    }
    const view = document.querySelector<HTMLElement>(".work");
    if (!view || view.contains(document.activeElement)) return;
    view.tabIndex = -1;
    view.focus({ preventScroll: true });
  }, [pathname]);
}

/** The bench with the picture that lay on it last. */
function useBenchAddress() {
  // Read again on every move, since opening a picture changes it.
  useLocation();
  const last = lastPicture.get();
  return last ? `/bench/${last}` : "/bench";
}

function NoSite() {
  return (
    <div className="empty no-site">
      <h1>There is no site at this address</h1>
      <span className="soft">It may have been removed; removed sites can be restored for 90 days.</span>
      <a href="/">Go to all sites</a>
    </div>
  );
}

function Nowhere() {
  useTitle("Nothing here");
  return (
    <div className="work">
      <div className="empty">
        <h1>There is nothing at this address</h1>
        <NavLink to="/library">Go to the library</NavLink>
      </div>
    </div>
  );
}
