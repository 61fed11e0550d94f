import { useMutation } from "@tanstack/react-query";
import { ApiError, siteApi, type Which } from "../api/client";

/** Downloads a zip archive of what was made of some pictures. */
export function usePackage() {
  return useMutation({
    mutationFn: async (which: Which) => {
      const headers = { "content-type": "application/json" };
      const answer = await fetch(`${siteApi}/package`, { method: "POST", headers, body: JSON.stringify({ which }) });
      if (!answer.ok) throw new ApiError((await answer.json()) as { detail: string }, answer.status);
      const link = document.createElement("a");
      link.href = URL.createObjectURL(await answer.blob());
      link.download = /filename="([^"]+)"/.exec(answer.headers.get("content-disposition") ?? "")?.[1] ?? "pictures.zip";
      link.click();
      URL.revokeObjectURL(link.href);
    },
  });
}
