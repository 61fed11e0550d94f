/** The look as tokens, so that the component library's own never shows. */
import { theme as antd, type ThemeConfig } from "antd";
import { useEffect, useState } from "react";

export type Mode = "light" | "dark";

const GROUND = {
  light: { page: "#e4e4e4", sheet: "#efefef", field: "#f9f9f9", ink: "#1d1d1d", line: "#b4b4b4", accent: "#0b5457" },
  dark: { page: "#1c1c1c", sheet: "#262626", field: "#303030", ink: "#e8e8e8", line: "#525252", accent: "#63bdbb" },
};

export function themeOf(mode: Mode): ThemeConfig {
  const ground = GROUND[mode];
  return {
    algorithm: mode === "dark" ? antd.darkAlgorithm : antd.defaultAlgorithm,
    token: {
      fontFamily: "'Source Sans 3 Variable', sans-serif",
      fontSize: 13,
      controlHeight: 28,
      borderRadius: 2,
      borderRadiusLG: 2,
      borderRadiusSM: 2,
      colorPrimary: ground.accent,
      colorInfo: ground.accent,
      colorLink: ground.accent,
      colorTextBase: ground.ink,
      colorBgBase: ground.sheet,
      colorBgLayout: ground.page,
      colorBgContainer: ground.field,
      colorBgElevated: ground.field,
      colorBorder: ground.line,
      colorTextPlaceholder: mode === "dark" ? "#a8a8a8" : "#5e5e5e",
      boxShadow: "none",
      boxShadowSecondary: "none",
      boxShadowTertiary: "none",
      motion: false,
      wireframe: true,
    },
    components: {
      Button: { primaryShadow: "none", defaultShadow: "none", primaryColor: mode === "dark" ? "#101010" : "#ffffff" },
      Segmented: {
        itemSelectedBg: ground.accent,
        itemSelectedColor: mode === "dark" ? "#101010" : "#ffffff",
        trackBg: ground.field,
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
  useEffect(() => {
    document.documentElement.dataset.theme = mode;
  }, [mode]);
  const choose = (next: Mode) => {
    localStorage.setItem(KEY, next);
    setMode(next);
  };
  return [mode, choose];
}
