import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useEffectEvent, useRef, useState } from "react";
import { api, siteApi, unwrap, type BenchBody, type Picture, type Adjustments, type Step } from "../api/client";

/** What typing and nudging waits for until it becomes a step, in milliseconds. */
const SETTLES_AFTER = 600;

export interface WorkOnBench {
  bench: BenchBody;
  adjustments: Adjustments;
  /** Shows `next` without noting it, as while something is dragged. */
  show: (next: Adjustments) => void;
  /** Shows and notes it at once. */
  note: (next: Adjustments, summary: string) => void;
  /** Shows it, and notes it once nothing more follows for a moment. */
  settle: (next: Adjustments, summary: string) => void;
  undo: (() => void) | undefined;
  redo: (() => void) | undefined;
  goTo: (step: string) => void;
  onNamed: (step: string, name: string | null) => void;
  /** The step that lies on the bench; nothing before the first, or while one is being noted. */
  at: string | undefined;
  /** The step that held when the adjustments began. */
  over: string | undefined;
  /** What `over` is by now, also before the screen is drawn again. */
  held: () => string | undefined;
  onSaved: (step: string) => void;
  /** Somebody else saved the picture since. */
  isSavedElsewhere: boolean;
  saving: boolean;
  error: Error | null;
  /** Tries once more to note what could not be noted. */
  retry: (() => void) | undefined;
  /** Notes what is still to be noted and tells the step, for whoever needs it saved. */
  flush: () => Promise<string | undefined>;
}

/** The picture as it lies on the bench. */
export function useBench(id: string | undefined) {
  return useQuery({
    queryKey: ["bench", id],
    enabled: id !== undefined,
    staleTime: Infinity,
    queryFn: async ({ signal }) =>
      unwrap(await api.GET("/pictures/{id}/bench", { params: { path: { id: id ?? "" } }, signal })),
  });
}

/** The adjustments on a picture: what is shown now, its steps, and the ways back and forth. */
export function useWork(picture: Picture, bench: BenchBody): WorkOnBench {
  const queries = useQueryClient();
  const [adjustments, setWork] = useState(bench.adjustments);
  const [at, setAt] = useState(bench.at ?? undefined);
  const [steps, setSteps] = useState(bench.steps);
  // What was noted before the screen was drawn again.
  const known = useRef(bench.steps);
  // The step that held when the adjustments began: only over that one it is saved.
  const [over, showOver] = useState(bench.holds ?? undefined);
  const held = useRef(over);
  const setOver = useCallback((step: string | undefined) => {
    held.current = step;
    showOver(step);
  }, []);
  const [pending, setPending] = useState(0);
  const [error, setError] = useState<Error | null>(null);
  const waiting = useRef<{ adjustments: Adjustments; summary: string; timer: ReturnType<typeof setTimeout> }>(
    undefined,
  );
  // Steps are noted one after the other, each after the one before.
  const chain = useRef<Promise<string | undefined>>(Promise.resolve(bench.at ?? undefined));
  const failed = useRef<{ adjustments: Adjustments; summary: string }>(undefined);
  const newest = useRef(bench.at ?? undefined);

  const send = useCallback(
    (next: Adjustments, summary: string) => {
      setPending((n) => n + 1);
      chain.current = chain.current.then(async (after) => {
        try {
          const body = { after: after ?? null, summary, adjustments: next };
          const step = unwrap(await api.POST("/pictures/{id}/steps", { params: { path: { id: picture.id } }, body }));
          if (after === undefined) {
            // With the first step came the one that tells how the picture arrived.
            const fresh = unwrap(await api.GET("/pictures/{id}/bench", { params: { path: { id: picture.id } } }));
            queries.setQueryData(["bench", picture.id], fresh);
            known.current = fresh.steps;
            setSteps(fresh.steps);
            // What holds now may be of somebody who saved meanwhile: this is over what arrived.
            setOver(fresh.steps[0]?.id);
          } else {
            known.current = [...known.current, step];
            setSteps(known.current);
          }
          setAt(step.id);
          newest.current = step.id;
          failed.current = undefined;
          setError(null);
          return step.id;
        } catch (problem) {
          failed.current = { adjustments: next, summary };
          setError(problem as Error);
          return after;
        } finally {
          setPending((n) => n - 1);
        }
      });
      return chain.current;
    },
    [picture.id, queries, setOver],
  );

  const flush = useCallback(() => {
    const last = waiting.current;
    if (last) {
      clearTimeout(last.timer);
      waiting.current = undefined;
      return send(last.adjustments, last.summary);
    }
    return chain.current;
  }, [send]);
  const onLeave = useEffectEvent(() => {
    void flush();
  });
  // The page goes before an answer could come: the browser sends what was changed last by itself.
  const onPageHide = useEffectEvent(() => {
    const last = waiting.current;
    if (!last) return;
    clearTimeout(last.timer);
    waiting.current = undefined;
    const body = { after: newest.current ?? null, summary: last.summary, adjustments: last.adjustments };
    void fetch(`${siteApi}/pictures/${picture.id}/steps`, {
      method: "POST",
      headers: { "content-type": "application/json" },
      body: JSON.stringify(body),
      keepalive: true,
    });
  });
  useEffect(() => {
    const leave = () => {
      onPageHide();
    };
    addEventListener("pagehide", leave);
    return () => {
      removeEventListener("pagehide", leave);
    };
  }, []);
  useEffect(
    () => () => {
      onLeave();
    },
    [],
  );

  const go = useMutation({
    scope: { id: `bench ${picture.id}` },
    mutationFn: async (step: string) => {
      await flush();
      return unwrap(await api.POST("/steps/{id}/go", { params: { path: { id: step } } }));
    },
    onSuccess: (found, step) => {
      chain.current = Promise.resolve(step);
      newest.current = step;
      failed.current = undefined;
      setAt(step);
      setWork(found);
      setError(null);
    },
    onError: setError,
  });

  const goTo = (step: string) => {
    go.mutate(step);
  };
  // What is still to be noted is a step of its own, and the first to be undone.
  const undo = async () => {
    const here = await flush();
    const parent = known.current.find((step) => step.id === here)?.parent;
    if (parent) goTo(parent);
  };
  const parent = steps.find((step) => step.id === at)?.parent;
  const child = newestChild(steps, at);
  return {
    bench: { ...bench, steps },
    adjustments,
    show: setWork,
    note: (next, summary) => {
      if (waiting.current) void flush();
      setWork(next);
      void send(next, summary);
    },
    settle: (next, summary) => {
      setWork(next);
      const last = waiting.current;
      if (last && last.summary !== summary) void flush();
      else if (last) clearTimeout(last.timer);
      waiting.current = {
        adjustments: next,
        summary,
        timer: setTimeout(() => {
          void flush();
        }, SETTLES_AFTER),
      };
    },
    undo:
      parent || pending > 0
        ? () => {
            void undo();
          }
        : undefined,
    redo: child
      ? () => {
          goTo(child);
        }
      : undefined,
    goTo,
    // A name that another step had moves to this one.
    onNamed: (id, name) => {
      known.current = known.current.map((step) =>
        step.id === id ? { ...step, name } : step.name === name ? { ...step, name: null } : step,
      );
      setSteps(known.current);
    },
    at: pending > 0 ? undefined : at,
    over,
    held: () => held.current,
    onSaved: setOver,
    isSavedElsewhere: bench.holds != null && bench.holds !== (over ?? bench.steps[0]?.id),
    saving: pending > 0 || go.isPending,
    error,
    retry: error
      ? () => {
          const last = failed.current;
          if (last) void send(last.adjustments, last.summary);
          else setError(null);
        }
      : undefined,
    flush,
  };
}

function newestChild(steps: Step[], at: string | undefined) {
  return steps.filter((step) => step.parent === at && at !== undefined).at(-1)?.id;
}
