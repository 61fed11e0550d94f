import { Button, Input } from "antd";
import { useState } from "react";
import { Link, useLocation, useNavigate } from "react-router";
import type { NewRun, OutputRule, RunLimits, Which } from "../api/client";
import { useLayouts } from "../api/useLayouts";
import { useSizeSets } from "../api/useSizeSets";
import { lastAddress } from "../ui/lastAddress";
import { MultiSelect } from "../ui/MultiSelect";
import { ProblemNote } from "../ui/ProblemNote";
import { describeSizes } from "../ui/sizeSets";
import { Tally } from "../ui/Tally";
import { useAddress } from "../ui/useAddress";
import { usePaused } from "../ui/usePaused";
import { useTitle } from "../ui/useTitle";
import { WaitingRows } from "../ui/Waiting";
import { ForecastFacts } from "./ForecastFacts";
import { LimitFields } from "./LimitFields";
import { RunRule, saysNothing } from "./RunRule";
import "./runs.css";
import { useForecast, useStartRun } from "./useRuns";

/** What a run would do, before it starts. */
export function NewRunPage() {
  useTitle("New run");
  const { state } = useLocation() as { state: { which?: Which } | null };
  const [address, change] = useAddress();
  const navigate = useNavigate();
  const layouts = useLayouts();
  const [name, setName] = useState("");
  const [limits, setLimits] = useState<RunLimits>({});
  const [rule, setRule] = useState<OutputRule>();
  const page = address.get("page");
  const slots = address.getAll("slot");
  const presets = address.getAll("preset");
  const sizeSets = useSizeSets();
  const which = state?.which ?? null;
  const own = saysNothing(rule) ? undefined : rule;
  const wish: NewRun | undefined =
    which !== null || page !== null || slots.length > 0
      ? { which, page, slots, presets, limits, ...(own && { rule: own }) }
      : undefined;
  const wanted = JSON.stringify(wish ?? null);
  const asked = usePaused(wanted, 400);
  const forecast = useForecast((JSON.parse(asked) as NewRun | null) ?? undefined);
  const start = useStartRun();
  const lacking = saysNothing(rule)
    ? "The run’s rule says nothing yet: choose a part of it, or the rules as they are"
    : forecast.data === undefined
      ? "Being forecast"
      : forecast.data.sets === 0
        ? "Nothing is to be made: see what is skipped, and why"
        : forecast.isPlaceholderData || asked !== wanted
          ? "Being forecast anew"
          : undefined;
  const ofPage = layouts.data?.pages.find(({ id }) => id === page);
  return (
    <>
      <div className="work">
        <main>
          <div className="bar">
            <h1>New run</h1>
            <span className="soft">
              {ofPage ? `makes the files of all pictures on ${ofPage.name}` : "makes all files of pictures for slots"}
            </span>
            <span className="gap" />
            <Link to={lastAddress("/library")}>Back to the library</Link>
          </div>
          {!wish && (
            <div className="empty">
              <h2>No pictures are chosen</h2>
              <span className="soft">
                Select pictures in the library, or filter them, and choose Run… below the list; or choose a page or a
                slot in Layouts.
              </span>
            </div>
          )}
          {forecast.error && <ProblemNote error={forecast.error} again={() => void forecast.refetch()} />}
          {wish && (
            <form
              className="new-run"
              onSubmit={(event) => {
                event.preventDefault();
                if (lacking) return;
                start.mutate(
                  { ...wish, name },
                  { onSuccess: ({ id }) => void navigate(`/runs/${id}`, { replace: true }) },
                );
              }}
            >
              <div className="run-wish">
                {page === null && (
                  <div className="part">
                    <label htmlFor="run-slots">For these slots</label>
                    <MultiSelect
                      id="run-slots"
                      value={slots}
                      placeholder={presets.length > 0 ? "none" : "every slot that shows a picture"}
                      showSearch={{ optionFilterProp: "label" }}
                      options={(layouts.data?.slots ?? []).map(({ id, name }) => ({ value: id, label: name }))}
                      onChange={(chosen) => {
                        change({ slot: chosen });
                      }}
                    />
                    <span className="soft">
                      Chosen slots get files of every picture, whether they show it now or not.
                    </span>
                  </div>
                )}
                {page === null && (
                  <div className="part">
                    <label htmlFor="run-presets">In the sizes of these presets</label>
                    <MultiSelect
                      id="run-presets"
                      value={presets}
                      placeholder="none"
                      showSearch={{ optionFilterProp: "label" }}
                      notFoundContent="No size preset yet. Make one in Layouts, under Size presets…"
                      options={(sizeSets.data ?? []).map((set) => ({
                        value: set.id,
                        label: `${set.name} · ${describeSizes(set)}`,
                      }))}
                      onChange={(chosen) => {
                        change({ preset: chosen });
                      }}
                    />
                    <span className="soft">
                      Each becomes a slot that no page has, with the preset’s name, when the run starts.
                    </span>
                  </div>
                )}
                <RunRule rule={rule} onChange={setRule} />
                <LimitFields limits={limits} onChange={setLimits} />
                <div className="part">
                  <label htmlFor="run-name">Name</label>
                  <Input
                    id="run-name"
                    value={name}
                    maxLength={200}
                    placeholder="such as Winter gallery; may stay empty"
                    onChange={({ target }) => {
                      setName(target.value);
                    }}
                  />
                </div>
                <span className="run-start">
                  <Button
                    type="primary"
                    htmlType="submit"
                    loading={start.isPending}
                    disabled={lacking !== undefined}
                    title={lacking}
                  >
                    Start run
                  </Button>
                  {lacking && <span className="soft">{lacking}</span>}
                </span>
                <p className="soft">
                  Originals and pages stay as they are. What a run made can be taken back at any later time.
                </p>
                {start.error && <ProblemNote error={start.error} />}
              </div>
              {forecast.data ? (
                <ForecastFacts forecast={forecast.data} waiting={forecast.isPlaceholderData || asked !== wanted} />
              ) : (
                !forecast.error && <WaitingRows rows={6} />
              )}
            </form>
          )}
        </main>
      </div>
      <Tally of={which ?? { filter: {} }} where={which ? "chosen" : "in the library"} />
    </>
  );
}
