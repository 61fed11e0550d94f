/** The look as tokens, so that the component library's own never shows. */
import { theme as antd, type ThemeConfig } from "antd";
import { useLayoutEffect, useState } from "react";
import { applyTokens, TOKENS, type Mode } from "./tokens";

export function themeOf(mode: Mode): ThemeConfig {
  const tokens = TOKENS[mode];
  return {
    algorithm: mode === "dark" ? antd.darkAlgorithm : antd.defaultAlgorithm,
    token: {
      fontFamily: "'Source Sans 3 Variable', sans-serif",
      fontSize: 13,
      controlHeight: 28,
      borderRadius: 2,
      borderRadiusLG: 2,
      borderRadiusSM: 2,
      colorPrimary: tokens.accent,
      colorInfo: tokens.accent,
      colorLink: tokens.accent,
      colorTextBase: tokens.ink,
      colorBgBase: tokens.sheet,
      colorBgLayout: tokens.page,
      colorBgContainer: tokens.field,
      colorBgElevated: tokens.field,
      colorBorder: tokens.edge,
      colorTextPlaceholder: tokens.placeholder,
      boxShadow: "none",
      boxShadowSecondary: "none",
      boxShadowTertiary: "none",
      motion: false,
      wireframe: true,
    },
    components: {
      Button: { primaryShadow: "none", defaultShadow: "none", primaryColor: tokens["on-accent"] },
      Segmented: {
        itemSelectedBg: tokens.accent,
        itemSelectedColor: tokens["on-accent"],
        trackBg: tokens.field,
      },
    },
  };
}

const KEY = "brisk-margin.theme";

/** The theme that was chosen, or the system's. */
export function useMode(): [Mode, (mode: Mode) => void] {
  const [mode, setMode] = useState<Mode>(() => {
    const stored = localStorage.getItem(KEY);
    if (stored === "light" || stored === "dark") return stored;
    return matchMedia("(prefers-color-scheme: dark)").matches ? "dark" : "light";
  });
  useLayoutEffect(() => {
    applyTokens(mode);
  }, [mode]);
  const choose = (next: Mode) => {
    localStorage.setItem(KEY, next);
    setMode(next);
  };
  return [mode, choose];
}
