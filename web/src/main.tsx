import "@fontsource-variable/source-sans-3/wght.css";
import "@fontsource-variable/source-code-pro/wght.css";
import "./ui/app.css";
import { MutationCache, QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { ConfigProvider } from "antd";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter } from "react-router";
import { siteSlug } from "./api/client";
import { App } from "./App";
import { SitesPage } from "./sites/SitesPage";
import { notices } from "./ui/notice";
import { themeOf, useMode } from "./ui/theme";

const queries = new QueryClient({
  mutationCache: new MutationCache({
    // Who shows the reason beside the control says so.
    onError: (error, _, __, mutation) => {
      if (!mutation.meta?.told && !mutation.options.onError) notices.show({ words: `Not done: ${error.message}` });
    },
  }),
  defaultOptions: {
    // The server is on this machine and tells of changes by itself.
    // It also answers while the machine has no network.
    queries: { staleTime: 60_000, retry: 1, refetchOnWindowFocus: false, networkMode: "always" },
    mutations: { networkMode: "always" },
  },
});

/** Styles that are written at run time carry the nonce of the page. */
const nonce = document.querySelector<HTMLScriptElement>("script[nonce]")?.nonce ?? "";

function Themed() {
  const [mode, setMode] = useMode();
  return (
    <ConfigProvider theme={themeOf(mode)} csp={{ nonce }} wave={{ disabled: true }}>
      {siteSlug === "" ? (
        <SitesPage />
      ) : (
        <BrowserRouter basename={`/${siteSlug}`}>
          <App mode={mode} onMode={setMode} />
        </BrowserRouter>
      )}
    </ConfigProvider>
  );
}

const root = document.getElementById("root");
if (!root) throw new Error("the page has no root");
createRoot(root).render(
  <StrictMode>
    <QueryClientProvider client={queries}>
      <Themed />
    </QueryClientProvider>
  </StrictMode>,
);
