import { Button, Checkbox, Input } from "antd";
import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { ApiError, originalUrl, previewUrl, type Picture, type PictureFields, type PicturePage } from "../api/client";
import { Bytes } from "../ui/Bytes";
import { bytes, count, estimate, formatName, pixels } from "../ui/figures";
import { IssueLine, IssueWord } from "../ui/IssueLine";
import { MarginBar, MarginWords } from "../ui/MarginBar";
import { ProblemNote } from "../ui/ProblemNote";
import { Tally } from "../ui/Tally";
import { useKey } from "../ui/useKey";
import { useTitle } from "../ui/useTitle";
import { altIssues } from "./issues";
import { useBringBack, useDescribe, usePicturePage } from "./useLibrary";

/** One picture: how it looks, what is said of it, where it is used, and what was made of it. */
export function PictureView() {
  const { id = "" } = useParams();
  const navigate = useNavigate();
  const page = usePicturePage(id);
  useTitle(page.data?.picture.name, "Library");
  const gone = page.error instanceof ApiError && page.error.status === 404;
  useKey((event) => {
    if (event.key === "Escape") void navigate("/library");
    else if (event.key === "Enter" && page.data) void navigate(`/bench/${id}`);
  });
  return (
    <>
      <div className="work">
        <main>
          {page.isPending && <p className="empty soft">Fetching the picture…</p>}
          {gone && (
            <div className="empty">
              <h2>There is no such picture</h2>
              <Link to="/library">Go to the library</Link>
            </div>
          )}
          {page.error && !gone && <ProblemNote error={page.error} again={() => void page.refetch()} />}
          {page.data && <Sheet key={id} page={page.data} />}
        </main>
      </div>
      <Tally of={{ ids: [id] }} where="in view">
        <Button onClick={() => void navigate("/library")}>Back to the list</Button>
        <Button type="primary" onClick={() => void navigate(`/bench/${id}`)}>
          Open on the bench
        </Button>
      </Tally>
    </>
  );
}

function Sheet({ page }: { page: PicturePage }) {
  const { picture, uses } = page;
  return (
    <>
      <div className="bar picture-bar">
        <h1 title={picture.name}>
          <bdi>{picture.name}</bdi>
        </h1>
        <span className="soft">
          {formatName[picture.format]} {pixels(picture.width, picture.height)} {bytes(picture.bytes)}
        </span>
        {picture.is_edited && (
          <span className="soft">
            edited
            {picture.shown_width !== picture.width || picture.shown_height !== picture.height
              ? `, shown ${pixels(picture.shown_width, picture.shown_height)}`
              : ""}
          </span>
        )}
        {picture.made_from && <Link to={`/library/${picture.made_from}`}>made from another picture</Link>}
        {picture.issues.map((issue) => (
          <IssueWord key={issue.kind} issue={issue} />
        ))}
        <span className="gap" />
        <a href={originalUrl(picture.id)} download={picture.name}>
          Download the original
        </a>
      </div>
      {picture.removed_at && <RemovedNote picture={picture} />}
      <div className="picture-sheet">
        <div className="picture-ground">
          <img src={previewUrl(picture.id, "bench", picture.step)} alt={picture.description.alt} />
        </div>
        <div className="picture-facts">
          <Facts page={page} />
          <Describe key={JSON.stringify([picture.description, picture.is_public])} page={page} />
        </div>
        <div className="picture-uses">
          <h2>Used in {count(uses.length, "place")}</h2>
          {uses.length === 0 && (
            <p className="soft">
              No page that was measured shows it. Place it in a slot from the layouts, or remove it.
            </p>
          )}
          {uses.length > 0 && <Uses page={page} />}
          <h2>Files made of it: {picture.variants.length}</h2>
          {picture.variants.length === 0 && <p className="soft">None yet: open it on the bench.</p>}
          {picture.variants.map((variant) => (
            <div key={variant.id} className="made-line">
              <span className="name" title={variant.file_name}>
                <bdi>{variant.file_name}</bdi>
              </span>
              <span className="figure">{pixels(variant.width, variant.height)}</span>
              <MarginBar margin={variant.margin} today={picture.bytes} />
              <MarginWords margin={variant.margin} />
              <span>
                saves <Bytes of={variant.saving.saved} />
              </span>
            </div>
          ))}
        </div>
      </div>
    </>
  );
}

function RemovedNote({ picture }: { picture: Picture }) {
  const back = useBringBack();
  return (
    <div className="notice" role="status">
      <b>Removed.</b>
      <span>It is in no list but that of what was removed.</span>
      <button
        type="button"
        className="quiet-button"
        onClick={() => {
          back.mutate({ ids: [picture.id] });
        }}
      >
        Restore
      </button>
    </div>
  );
}

const CLASS_WORDS = {
  photograph: "photograph",
  graphic: "flat graphic",
  text: "text or a screenshot",
  animation: "animation",
  drawing: "drawing",
} as const;

function Facts({ page: { picture, embedded: embedded } }: { page: PicturePage }) {
  const [shown, setShown] = useState(false);
  const { analysis: look, possible, today } = picture;
  const facts: [string, React.ReactNode][] = [
    ["Content", look ? CLASS_WORDS[look.class] : (picture.analysis_failed ?? "being analysed…")],
    [
      "Transparency",
      look ? (look.is_transparent ? "some of it" : picture.has_alpha ? "possible, but none" : "none") : "–",
    ],
    ["Colours", look ? (look.colours == null ? "very many" : count(look.colours, "colour")) : "–"],
    ["Profile", picture.profile ?? "sRGB"],
    ...(picture.frames > 1 ? [["Frames", String(picture.frames)] as [string, React.ReactNode]] : []),
    ["Taken", embedded.taken === "" ? "not recorded" : embedded.taken],
    ["Camera", embedded.camera === "" ? "not recorded" : embedded.camera],
    [
      "Place",
      embedded.location ? (
        shown ? (
          <span className="figure">{embedded.location.map((degrees) => degrees.toFixed(5)).join(", ")}</span>
        ) : (
          <button
            type="button"
            className="quiet-button"
            onClick={() => {
              setShown(true);
            }}
          >
            Show where it was taken
          </button>
        )
      ) : (
        "not recorded"
      ),
    ],
    ["Weighs today", <Bytes key="today" of={today} />],
    [
      "Could weigh",
      possible ? (
        <span key="possible" className="figure">
          {estimate(possible)}
        </span>
      ) : (
        "not estimated"
      ),
    ],
    [
      "Added",
      `${new Date(picture.created_at).toLocaleString("en-GB", { dateStyle: "medium", timeStyle: "short" })}${picture.from_folder ? ", by the site’s folder" : ""}`,
    ],
    ["Folder", picture.folder || "none"],
  ];
  return (
    <dl className="picture-told">
      {facts.map(([name, value]) => (
        <div key={name}>
          <dt>{name}</dt>
          <dd>{value}</dd>
        </div>
      ))}
    </dl>
  );
}

function Uses({ page: { uses } }: { page: PicturePage }) {
  const box = (size: number[] | undefined) => size?.map((side) => Math.round(side)).join(" × ");
  return (
    <table className="uses">
      <thead>
        <tr>
          <th>Page</th>
          <th>Slot</th>
          <th>Shown at, CSS px</th>
          <th>Pixels wanted</th>
          <th className="right">Today</th>
        </tr>
      </thead>
      <tbody>
        {uses.map((use, index) => (
          <tr key={`${use.page} ${use.slot} ${index}`}>
            <td title={use.address}>{use.page_name}</td>
            <td>{use.slot_name}</td>
            <td className="figure">{[...new Set(use.boxes.map(box))].join(" to ")}</td>
            <td className="figure">
              {use.needs?.join(" × ")}
              {use.short != null && <b> needs {Math.round(use.short)} % more</b>}
            </td>
            <td className="right">
              {use.today != null && <Bytes of={use.today} />}
              {use.placed && <span className="soft"> placed</span>}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

const FIELDS = [
  ["name", "File name"],
  ["title", "Title"],
  ["alt", "Alt text"],
  ["caption", "Caption"],
  ["creator", "Creator"],
  ["licence", "Licence"],
  ["source", "Source link"],
] as const;

function Describe({ page: { picture, embedded, page_alt, caption_line } }: { page: PicturePage }) {
  const said = { name: picture.name, ...picture.description, is_public: picture.is_public };
  const [fields, setFields] = useState(said);
  const describe = useDescribe();
  const changed = Object.fromEntries(
    Object.entries(fields).filter(([field, value]) => value !== said[field as keyof typeof said]),
  ) as PictureFields;
  const proposals = {
    title: embedded.title,
    alt: page_alt,
    caption: embedded.caption,
    creator: embedded.creator,
    licence: embedded.licence,
    source: embedded.source,
  };
  return (
    <form
      className="describe-form"
      onSubmit={(event) => {
        event.preventDefault();
        describe.mutate({ [picture.id]: changed });
      }}
    >
      {FIELDS.map(([field, label]) => {
        const proposal = field in proposals ? proposals[field as keyof typeof proposals] : "";
        return (
          <div key={field} className="field">
            <label htmlFor={`of-${field}`}>{label}</label>
            <Input
              id={`of-${field}`}
              value={fields[field]}
              onChange={({ target }) => {
                setFields({ ...fields, [field]: target.value });
              }}
            />
            {field === "alt" &&
              fields.alt === said.alt &&
              altIssues(picture).map((issue) => <IssueLine key={issue.kind} issue={issue} />)}
            {proposal && proposal !== fields[field] && (
              <button
                type="button"
                className="quiet-button proposal"
                onClick={() => {
                  setFields({ ...fields, [field]: proposal });
                }}
              >
                {field === "alt" ? "The page" : "The file"} says “<bdi>{proposal}</bdi>”: take it
              </button>
            )}
          </div>
        );
      })}
      <Checkbox
        checked={fields.decorative}
        onChange={({ target }) => {
          setFields({ ...fields, decorative: target.checked });
        }}
      >
        Decorative (empty alt text)
      </Checkbox>
      <Checkbox
        checked={fields.is_public}
        onChange={({ target }) => {
          setFields({ ...fields, is_public: target.checked });
        }}
      >
        Public: whoever has an address of it may fetch its files
      </Checkbox>
      {Object.keys(changed).length > 0 ? (
        <Button type="primary" htmlType="submit" loading={describe.isPending}>
          Save
        </Button>
      ) : (
        <Button disabled>Nothing was changed</Button>
      )}
      {caption_line && <code className="caption-line">{caption_line}</code>}
    </form>
  );
}
