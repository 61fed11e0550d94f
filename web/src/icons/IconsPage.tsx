import { Button, Segmented } from "antd";
import { useState } from "react";
import { useNavigate } from "react-router";
import type { IconDesign, Icons } from "../api/client";
import { bytes, count } from "../ui/figures";
import { MenuButton } from "../ui/MenuButton";
import { ProblemNote } from "../ui/ProblemNote";
import { useAddress } from "../ui/useAddress";
import { useTitle } from "../ui/useTitle";
import { WaitingRows } from "../ui/Waiting";
import { FilesView } from "./FilesView";
import "./icons.css";
import { MasterColumn } from "./MasterColumn";
import { PlacesView } from "./PlacesView";
import { ServedView } from "./ServedView";
import { SmallView } from "./SmallView";
import { iconPackageUrl, useIcons, useLooks, useMakeIcons, usePrepareIcons, useSaveIcons } from "./useIcons";

const VIEWS = [
  { value: "small", label: "Small sizes" },
  { value: "files", label: "Files" },
  { value: "places", label: "Where they are shown" },
  { value: "served", label: "Served now" },
];

/** The icons of the site: from one master to every file, and what the site serves. */
export function IconsPage() {
  useTitle("Icons");
  const icons = useIcons();
  return (
    <>
      {icons.data ? (
        <Designing icons={icons.data} />
      ) : (
        <div className="work">
          <main>
            <div className="bar">
              <h1>Icons</h1>
            </div>
            {icons.error ? <ProblemNote error={icons.error} again={() => void icons.refetch()} /> : <WaitingRows />}
          </main>
        </div>
      )}
    </>
  );
}

function Designing({ icons }: { icons: Icons }) {
  const [address, change] = useAddress();
  const navigate = useNavigate();
  const [draft, setDraft] = useState<IconDesign>();
  const saved = icons.design as IconDesign;
  const design = draft ?? saved;
  const isChanged = draft !== undefined && JSON.stringify(draft) !== JSON.stringify(saved);
  const looks = useLooks(design);
  const [save, make, prepare] = [useSaveIcons(), useMakeIcons(), usePrepareIcons()];
  const view = address.get("view") ?? "small";
  const asked = { design, version: icons.version };
  const kept = {
    onSuccess: () => {
      setDraft(undefined);
    },
  };
  const edit = (part: Partial<IconDesign>) => {
    setDraft({ ...design, ...part });
  };
  const lacking = design.master ? undefined : "Choose a master first";
  const unmade = icons.made ? undefined : "Make the files first";
  const error = save.error ?? make.error ?? prepare.error;
  return (
    <>
      <div className="work">
        <main>
          <div className="bar">
            <h1>Icons</h1>
            <Segmented
              aria-label="What is shown"
              value={view}
              options={VIEWS}
              onChange={(view) => {
                change({ view: view === "small" ? undefined : view });
              }}
            />
            <span className="gap" />
            {isChanged && <span className="soft">Unsaved changes</span>}
            <MenuButton
              items={[
                {
                  key: "save",
                  label: "Save without making files",
                  disabled: !isChanged,
                  onClick: () => {
                    save.mutate(asked, kept);
                  },
                },
                {
                  key: "discard",
                  label: "Discard unsaved changes",
                  disabled: !isChanged,
                  onClick: () => {
                    setDraft(undefined);
                  },
                },
                {
                  key: "download",
                  label: "Download the files",
                  disabled: unmade !== undefined,
                  onClick: () => {
                    window.location.assign(iconPackageUrl);
                  },
                },
              ]}
            >
              More
            </MenuButton>
            <Button
              disabled={unmade !== undefined || prepare.isPending}
              title={unmade}
              onClick={() => {
                prepare.mutate(undefined, { onSuccess: ({ id }) => void navigate(`/publish/${id}`) });
              }}
            >
              Publish…
            </Button>
            <Button
              type="primary"
              disabled={lacking !== undefined}
              title={lacking}
              loading={make.isPending}
              onClick={() => {
                make.mutate(isChanged ? asked : undefined, kept);
              }}
            >
              Make files
            </Button>
          </div>
          {error && <ProblemNote error={error} />}
          <div className="icons">
            <MasterColumn design={design} looks={looks.data} onEdit={edit} />
            <section className="icons-view" aria-label={VIEWS.find(({ value }) => value === view)?.label}>
              {looks.error && view !== "served" && <ProblemNote error={looks.error} />}
              {view === "served" ? (
                <ServedView icons={icons} />
              ) : !design.master ? (
                <NoMaster />
              ) : !looks.data ? (
                !looks.error && <WaitingRows />
              ) : view === "files" ? (
                <FilesView design={design} looks={looks.data} icons={icons} onEdit={edit} />
              ) : view === "places" ? (
                <PlacesView design={design} looks={looks.data} />
              ) : (
                <SmallView design={design} looks={looks.data} onEdit={edit} />
              )}
            </section>
          </div>
        </main>
      </div>
      <footer className="tally" aria-label="Tally">
        <MadeWords icons={icons} isChanged={isChanged} />
      </footer>
    </>
  );
}

function NoMaster() {
  return (
    <div className="empty">
      <h2>No master yet</h2>
      <span className="soft">
        Choose the picture that all icons are made of: a drawing (SVG), or a picture of 512 px or more. Every file, the
        manifest and the lines for pages come from it.
      </span>
    </div>
  );
}

function MadeWords({ icons, isChanged }: { icons: Icons; isChanged: boolean }) {
  const { made } = icons;
  if (!made) return <span className="part">no files made yet</span>;
  return (
    <>
      <span className="part">
        <b>{count(made.files.length, "file")}</b> made · <span className="figure">{bytes(made.bytes)}</span>
      </span>
      {(isChanged || !made.is_current) && <span className="part">what was decided since is not in them yet</span>}
    </>
  );
}
