import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { render } from "@testing-library/react";
import type { ReactElement } from "react";
import { createMemoryRouter, RouterProvider } from "react-router";

/** Shows a page at an address in an empty document; every other address says that it is elsewhere. */
export function shownAt(address: string, path: string, page: ReactElement) {
  document.body.innerHTML = "";
  // The address is also read from the window.
  window.history.replaceState(null, "", address);
  const routes = [
    { path, element: page },
    { path: "*", element: <p>elsewhere</p> },
  ];
  const router = createMemoryRouter(routes, { initialEntries: [address] });
  render(
    <QueryClientProvider client={new QueryClient()}>
      <RouterProvider router={router} />
    </QueryClientProvider>,
  );
  return router;
}
