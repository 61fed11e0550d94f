import { Button, Input, type InputRef } from "antd";
import { useRef, useState } from "react";
import { Navigate, NavLink, Route, Routes, useLocation, useNavigate } from "react-router";
import { ApiError } from "./api/client";
import { useChanges } from "./api/useChanges";
import { useSite } from "./api/useSite";
import { BenchPage } from "./bench/BenchPage";
import { lastPicture } from "./bench/lastPicture";
import { JobsButton } from "./jobs/JobsButton";
import { JobsSheet } from "./jobs/JobsSheet";
import { LayoutsPage } from "./layouts/LayoutsPage";
import { SiteSheet } from "./layouts/SiteSheet";
import { ArrivalsSheet } from "./library/ArrivalsSheet";
import { DropZone } from "./library/DropZone";
import { LibraryPage } from "./library/LibraryPage";
import { PairsPage } from "./library/PairsPage";
import { PictureView } from "./library/PictureView";
import { SiteSwitch } from "./sites/SiteSwitch";
import { Shortcuts } from "./ui/Shortcuts";
import type { Mode } from "./ui/theme";
import { useKey } from "./ui/useKey";

/** The frame: site and search on top, the rail of words, the page and its tally. */
export function App({ mode, onMode }: { mode: Mode; onMode: (mode: Mode) => void }) {
  useChanges();
  const navigate = useNavigate();
  const site = useSite();
  const [search, setSearch] = useState("");
  const [keysOpen, setKeysOpen] = useState(false);
  const [arrivalsOpen, setArrivalsOpen] = useState(false);
  const [jobsOpen, setJobsOpen] = useState(false);
  const [siteOpen, setSiteOpen] = useState(false);
  const field = useRef<InputRef>(null);
  const bench = useBenchAddress();
  const going = useRef(false);

  useKey((event) => {
    const goes = going.current;
    going.current = event.key === "g";
    if (goes && event.key === "y") void navigate("/layouts");
    else if (goes && event.key === "l") void navigate("/library");
    else if (goes && event.key === "b") void navigate(bench);
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
          <Input
            ref={field}
            aria-label="Search the library"
            placeholder="Search names and texts ( / )"
            allowClear
            value={search}
            style={{ width: 240 }}
            onChange={(event) => {
              setSearch(event.target.value);
              void navigate("/library");
            }}
          />
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
              setSiteOpen((open) => !open);
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
            aria-label="Keys"
            onClick={() => {
              setKeysOpen(true);
            }}
          >
            ?
          </Button>
        </header>
        <nav className="rail" aria-label="Work">
          <NavLink to="/layouts">Layouts</NavLink>
          <NavLink to="/library">Library</NavLink>
          <NavLink to={bench}>Bench</NavLink>
        </nav>
        <Routes>
          <Route path="/" element={<Navigate to="/library" replace />} />
          <Route path="/layouts" element={<LayoutsPage />} />
          <Route path="/library" element={<LibraryPage search={search} />} />
          <Route path="/library/alike" element={<PairsPage />} />
          <Route path="/library/:id" element={<PictureView />} />
          <Route path="/bench" element={<BenchPage />} />
          <Route path="/bench/:id" element={<BenchPage />} />
          <Route path="*" element={<Nowhere />} />
        </Routes>
      </div>
      <ArrivalsSheet
        open={arrivalsOpen}
        onClose={() => {
          setArrivalsOpen(false);
        }}
      />
      <JobsSheet
        open={jobsOpen}
        onClose={() => {
          setJobsOpen(false);
        }}
      />
      <SiteSheet
        open={siteOpen}
        onClose={() => {
          setSiteOpen(false);
        }}
      />
      <Shortcuts
        open={keysOpen}
        onClose={() => {
          setKeysOpen(false);
        }}
      />
    </DropZone>
  );
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
  return (
    <div className="work">
      <div className="empty">
        <h1>There is nothing at this address</h1>
        <NavLink to="/library">Go to the library</NavLink>
      </div>
    </div>
  );
}
