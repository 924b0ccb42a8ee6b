/** Two lights for one workroom: daylight on unbleached calico, and a dimmed one for dark suites. */
import { createTheme, type Theme } from "@mui/material/styles";
import type { Theme as Light } from "../state/room";

export interface Palette {
  calico: string;
  panel: string;
  seam: string;
  ink: string;
  softInk: string;
  indigo: string;
  onIndigo: string;
  madder: string;
  weld: string;
  verdigris: string;
  tape: string;
  tapeEdge: string;
  tapeInk: string;
  runIn: string;
  stage: string;
}

export const cloth: Palette = {
  calico: "#F3EEE2",
  panel: "#FAF7EF",
  seam: "#CFC6B2",
  ink: "#1F2D3A",
  softInk: "#56606A",
  indigo: "#34508C",
  onIndigo: "#FFFFFF",
  madder: "#9E3A2F",
  weld: "#7A5A0C",
  verdigris: "#2F6657",
  tape: "#E7D9A8",
  tapeEdge: "#C6B67C",
  tapeInk: "#4A4225",
  runIn: "#D3C8AA",
  stage: "#9B9994",
};

export const dusk: Palette = {
  calico: "#2B2C2E",
  panel: "#333538",
  seam: "#4D4F52",
  ink: "#E9E4D8",
  softInk: "#B4B2AB",
  indigo: "#A9BEF0",
  onIndigo: "#1B2436",
  madder: "#F0A090",
  weld: "#E4C46A",
  verdigris: "#93CDBB",
  tape: "#5A543F",
  tapeEdge: "#756C4C",
  tapeInk: "#F1E8C8",
  runIn: "#47443B",
  stage: "#5C5B58",
};

export function paletteOf(light: Light): Palette {
  return light === "dimmed" ? dusk : cloth;
}

declare module "@mui/material/styles" {
  interface Theme {
    cloth: Palette;
  }
  interface ThemeOptions {
    cloth: Palette;
  }
}

export function themeOf(light: Light): Theme {
  const c = paletteOf(light);
  return createTheme({
    cloth: c,
    palette: {
      mode: light === "dimmed" ? "dark" : "light",
      background: { default: c.calico, paper: c.panel },
      text: { primary: c.ink, secondary: c.softInk },
      primary: { main: c.indigo, contrastText: c.onIndigo },
      error: { main: c.madder },
      warning: { main: c.weld },
      success: { main: c.verdigris },
      divider: c.seam,
    },
    shape: { borderRadius: 7 },
    typography: {
      fontFamily: '"IBM Plex Sans", sans-serif',
      fontSize: 13,
      button: { textTransform: "none", fontWeight: 600 },
      h2: { fontSize: 19, fontWeight: 600 },
      h3: { fontSize: 14, fontWeight: 600 },
      body2: { fontSize: 12.5, lineHeight: 1.4 },
    },
    components: {
      MuiButton: { defaultProps: { disableElevation: true, size: "small" } },
      MuiTextField: { defaultProps: { size: "small", fullWidth: true } },
      MuiCssBaseline: {
        styleOverrides: {
          body: { overflow: "hidden" },
          ".figure.figure": { fontFamily: '"IBM Plex Mono", monospace', fontVariantNumeric: "tabular-nums" },
          "@media (prefers-reduced-motion: reduce)": {
            "*, *::before, *::after": { transition: "none !important", animation: "none !important" },
          },
          ":focus-visible": { outline: `2px solid ${c.indigo}`, outlineOffset: 2 },
        },
      },
    },
  });
}
