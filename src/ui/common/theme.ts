import type { ThemeConfig } from "antd";

/** The colours of the drafting table. Everything else derives from these through Ant Design's tokens. */
export const COLORS = {
  paper: "#F6F4EE",
  sheet: "#FFFDF8",
  sunken: "#EDEAE1",
  ink: "#1E2A38",
  inkSoft: "#566271",
  hairline: "#D9D4C7",
  working: "#0B6E69",
  workingPale: "#D9E9E5",
  brick: "#A63D2F",
} as const;

export const THEME: ThemeConfig = {
  cssVar: { key: "plextan" },
  hashed: false,
  // The rules come from the file that the library ships: making them in the page takes half of what mounting takes.
  zeroRuntime: true,
  token: {
    colorPrimary: COLORS.working,
    colorInfo: COLORS.working,
    colorInfoBg: COLORS.workingPale,
    colorInfoBorder: COLORS.workingPale,
    colorLink: COLORS.working,
    colorError: COLORS.brick,
    colorTextBase: COLORS.ink,
    colorBgBase: COLORS.sheet,
    colorBgLayout: COLORS.paper,
    colorBorder: COLORS.hairline,
    colorBorderSecondary: COLORS.hairline,
    borderRadius: 4,
    borderRadiusLG: 6,
    borderRadiusSM: 3,
    fontFamily: "'IBM Plex Sans', sans-serif",
    fontFamilyCode: "'IBM Plex Mono', monospace",
    fontSize: 13,
    controlHeight: 28,
    controlHeightSM: 24,
    controlHeightLG: 36,
    wireframe: false,
    boxShadowSecondary: "0 6px 20px rgba(30, 42, 56, 0.14)",
  },
  components: {
    Tooltip: { colorBgSpotlight: COLORS.ink },
    Button: { primaryShadow: "none", defaultShadow: "none" },
    // What is not chosen is still to be read.
    Segmented: { itemColor: COLORS.ink, trackBg: COLORS.sunken },
  },
};
