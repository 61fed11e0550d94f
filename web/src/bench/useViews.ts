import { keepPreviousData, useQuery } from "@tanstack/react-query";
import {
  api,
  unwrap,
  type Rect,
  type Issue,
  type TextContrast,
  type View,
  type Adjustments,
  siteApi,
} from "../api/client";

/** Every slot of the picture framed at every layout width; asked again at each change, stale answers
    dropped. */
export function useFramings(id: string, adjustments: Adjustments, slots: string[]) {
  return useQuery({
    queryKey: ["framings", id, adjustments, slots],
    placeholderData: keepPreviousData,
    gcTime: 10_000,
    retry: false,
    queryFn: async ({ signal }) =>
      unwrap(
        await api.POST("/pictures/{id}/framings", {
          params: { path: { id } },
          body: { adjustments, slots },
          signal,
        }),
      ),
  });
}

interface Options {
  histograms?: boolean;
  /** Leaves out what a frame adds. */
  withoutFrame?: boolean;
  enabled?: boolean;
}

export interface Views {
  bitmap: ImageBitmap | undefined;
  places: (Rect | null)[];
  issues: Issue[][];
  contrasts: TextContrast[];
}

/** Views of the picture, rendered by the server. */
export function useViews(
  id: string,
  adjustments: Adjustments,
  views: View[],
  { histograms = false, withoutFrame = false, enabled = true }: Options = {},
) {
  // Framing does not change a view of the whole.
  const wholeOnly = views.every((view) => !view.place);
  const decides = wholeOnly ? adjustments.edits : adjustments;
  return useQuery({
    queryKey: ["views", id, decides, views, histograms, withoutFrame],
    enabled,
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    gcTime: 10_000,
    retry: false,
    queryFn: async ({ signal }) => {
      const body = { adjustments, views, histograms, without_frame: withoutFrame };
      const sheet = unwrap(await api.POST("/pictures/{id}/sheet", { params: { path: { id } }, body, signal }));
      const bitmap = sheet.image ? await decoded(sheet.image, signal) : undefined;
      return {
        bitmap,
        places: sheet.views,
        issues: sheet.issues,
        contrasts: sheet.contrasts,
        before: sheet.before,
        after: sheet.after,
        of: adjustments,
      };
    },
  });
}

async function decoded(image: string, signal: AbortSignal) {
  const answer = await fetch(`${siteApi}/sheets/${image}`, { signal });
  if (!answer.ok) throw new Error("the preview was gone before it was fetched; change something or try again");
  return createImageBitmap(await answer.blob());
}
