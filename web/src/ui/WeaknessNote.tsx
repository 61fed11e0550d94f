import { useQuery } from "@tanstack/react-query";
import { installation, unwrap } from "../api/client";

/** What of the protection against hostile files and pages does not hold on this machine: it stays in view. */
export function WeaknessNote() {
  const { data } = useQuery({
    queryKey: ["health"],
    queryFn: async () => unwrap(await installation.GET("/api/health")),
    staleTime: Infinity,
  });
  const weaknesses = data?.weaknesses ?? [];
  if (weaknesses.length === 0) return null;
  return (
    <div className="connection-note" role="status">
      <span>
        <b>Hostile files and pages are less well kept out on this machine:</b> {weaknesses.join("; ")}. Whoever runs the
        server can change that.
      </span>
    </div>
  );
}
