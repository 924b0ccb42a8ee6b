/** Daylight in the workroom: calico panels, ink text, one indigo accent. */
import { createTheme } from "@mui/material/styles";

export const cloth = {
  calico: "#F3EEE2",
  seam: "#CFC6B2",
  ink: "#1F2D3A",
  softInk: "#56606A",
  indigo: "#34508C",
} as const;

export const daylight = createTheme({
  palette: {
    background: { default: cloth.calico, paper: cloth.calico },
    text: { primary: cloth.ink, secondary: cloth.softInk },
    primary: { main: cloth.indigo },
    divider: cloth.seam,
  },
  typography: { fontFamily: '"IBM Plex Sans", sans-serif', fontSize: 13 },
});
