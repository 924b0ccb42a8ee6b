import "@fontsource/ibm-plex-mono/400.css";
import "@fontsource/ibm-plex-sans/400.css";
import "@fontsource/ibm-plex-sans/600.css";
import CssBaseline from "@mui/material/CssBaseline";
import { ThemeProvider } from "@mui/material/styles";
import { QueryClientProvider } from "@tanstack/react-query";
import { StrictMode, useMemo } from "react";
import { createRoot } from "react-dom/client";
import { HouseFacts, NO_FACTS } from "../state/facts";
import { client, useFactsOfHouse } from "../state/queries";
import { useRoom } from "../state/room";
import { Shell } from "./Shell";
import { themeOf } from "../ui/theme";

function App() {
  const light = useRoom((room) => room.theme);
  const theme = useMemo(() => themeOf(light), [light]);
  const facts = useFactsOfHouse().data ?? NO_FACTS;
  return (
    <ThemeProvider theme={theme}>
      <CssBaseline />
      <HouseFacts value={facts}>
        <Shell />
      </HouseFacts>
    </ThemeProvider>
  );
}

const root = document.getElementById("root");
if (root === null) throw new Error("index.html has no #root");
createRoot(root).render(
  <StrictMode>
    <QueryClientProvider client={client}>
      <App />
    </QueryClientProvider>
  </StrictMode>,
);
