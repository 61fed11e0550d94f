import { useEffect, useState } from "react";
import { Link, useParams } from "react-router";
import { ApiError, originalUrl, type FocalPoint, type Picture } from "../api/client";
import { useLimits } from "../api/useLimits";
import { Bytes } from "../ui/Bytes";
import { formatName, pixels } from "../ui/figures";
import { ProblemNote } from "../ui/ProblemNote";
import { Tally } from "../ui/Tally";
import "./bench.css";
import { FilesMade } from "./FilesMade";
import { FittingFacts } from "./FittingFacts";
import { FrameView } from "./FrameView";
import { lastPicture } from "./lastPicture";
import { Proof } from "./Proof";
import { placeOf, useRecipe } from "./recipe";
import { RecipeLine } from "./RecipeLine";
import { useFitting, useMakeFile, useMoveFocal, usePicture } from "./usePicture";

/** The bench: one picture, its frame, its file, and the proof of it. */
export function BenchPage() {
  const { id } = useParams();
  const picture = usePicture(id);
  const gone = picture.error instanceof ApiError && picture.error.status === 404;
  useEffect(() => {
    if (picture.data) lastPicture.set(picture.data.id);
    if (gone) lastPicture.forget();
  }, [picture.data, gone]);
  return (
    <>
      <div className="work">
        <main>
          {picture.data && <Bench key={picture.data.id} picture={picture.data} />}
          {id !== undefined && picture.isPending && <p className="empty soft">Fetching the picture…</p>}
          {(id === undefined || gone) && <EmptyBench />}
          {picture.error && !gone && <ProblemNote error={picture.error} again={() => void picture.refetch()} />}
        </main>
      </div>
      <Tally of={picture.data ? { ids: [picture.data.id] } : { filter: {} }} where={picture.data ? "on the bench" : "in the library"} />
    </>
  );
}

function EmptyBench() {
  return (
    <div className="empty">
      <h2>No picture lies on the bench</h2>
      <span className="soft">Open one from the <Link to="/library">library</Link>: choose its row and press Enter.</span>
    </div>
  );
}

function Bench({ picture }: { picture: Picture }) {
  const [recipe, changeRecipe] = useRecipe();
  const [focal, setFocal] = useState<FocalPoint>(picture.focal);
  const [chosen, setChosen] = useState<string>();
  const limits = useLimits();
  const place = placeOf(recipe);
  const fitting = useFitting(picture.id, place, focal);
  const moveFocal = useMoveFocal(picture.id);
  const make = useMakeFile(picture.id);
  const shown = picture.variants.find(({ id }) => id === chosen) ?? picture.variants[0];
  const usualQuality = limits.data?.usual_quality ?? 75;

  const hindrance = !place
    ? "Type the slot's width and height"
    : (fitting.error?.message ?? (fitting.data?.refusal ? "Too small for an exact slot" : undefined));
  const onMake = () => {
    if (!place) return;
    const { format, quality } = recipe;
    make.mutate(
      { ...place, focal, format, quality: quality ?? usualQuality },
      { onSuccess: ({ id }) => { setChosen(id); } },
    );
  };
  return (
    <>
      <div className="bar">
        <h1 className="bench-name" title={picture.name}><bdi>{picture.name}</bdi></h1>
        <span className="figure">{formatName[picture.format]} {pixels(picture.width, picture.height)}</span>
        <Bytes of={picture.bytes} />
        {picture.profile && <span className="soft">{picture.profile}, becomes sRGB</span>}
        {picture.has_location && <span className="soft">tells its location, which the files will not</span>}
        <span className="gap" />
        <a href={originalUrl(picture.id)} download={picture.name}>Download the original</a>
      </div>
      <RecipeLine recipe={recipe} usualQuality={usualQuality} onChange={changeRecipe} onMake={onMake} making={make.isPending} hindrance={hindrance} />
      {make.error && <ProblemNote error={make.error} />}
      {moveFocal.error && <ProblemNote error={moveFocal.error} again={() => { moveFocal.mutate(focal); }} />}
      <div className="bench">
        <section className="framing" aria-label="Frame">
          <FrameView
            picture={picture}
            fitting={place && !fitting.error ? fitting.data : undefined}
            focal={focal}
            onMove={setFocal}
            onSettle={(point) => { setFocal(point); moveFocal.mutate(point); }}
          />
          {place && fitting.data && !fitting.error && <FittingFacts fitting={fitting.data} picture={picture} />}
        </section>
        {shown ? <Proof variant={shown} /> : <NoProof />}
      </div>
      {shown && <FilesMade variants={picture.variants} shown={shown.id} onShow={setChosen} />}
    </>
  );
}

function NoProof() {
  return (
    <section className="proof">
      <div className="empty">
        <h2>Nothing made yet</h2>
        <span className="soft">
          Type the size of the slot, move the frame with the focal point, and make the file. It is
          then shown here at true size beside the original.
        </span>
      </div>
    </section>
  );
}
