import "@fontsource-variable/archivo";
import "./styles.css";

import createCache from "@emotion/cache";
import { CacheProvider } from "@emotion/react";
import CssBaseline from "@mui/material/CssBaseline";
import { ThemeProvider } from "@mui/material/styles";
import { QueryClientProvider } from "@tanstack/react-query";
import { lazy, StrictMode, Suspense, useState } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter, Route, Routes } from "react-router-dom";

import { useSession } from "./api/client";
import { startNews, useNews } from "./api/news";
import { queries } from "./api/queries";
import { ContactSheet } from "./contact/ContactSheet";
import { useMessages } from "./state/messages";
import { theme } from "./theme";

const Workbench = lazy(() => import("./workbench/Workbench"));
const SeriesPage = lazy(() => import("./series/SeriesPage"));
const Messages = lazy(() => import("./Messages"));
const SignIn = lazy(() => import("./SignIn"));

/** Whether there has been anything to say since the page was opened. */
function useSpeaks(): boolean {
  const [spoken, setSpoken] = useState(false);
  const messages = useMessages((s) => s.list.length > 0);
  const trouble = useNews((s) => !s.connected || !s.database || s.why !== null);
  if ((messages || trouble) && !spoken) setSpoken(true);
  return spoken;
}

function App() {
  const signIn = useSession((s) => s.signInNeeded);
  // What is seldom needed is only fetched when it is.
  const speaks = useSpeaks();
  return (
    <ThemeProvider theme={theme} defaultMode="dark" modeStorageKey="crenn-ground">
      <CssBaseline />
      <BrowserRouter>
        <Suspense>
          <Routes>
            <Route path="/scenes/:sceneId/:station?" element={<Workbench />} />
            <Route path="/shoots/:shootId/series" element={<SeriesPage />} />
            <Route path="*" element={<ContactSheet />} />
          </Routes>
        </Suspense>
      </BrowserRouter>
      <Suspense>
        {speaks && <Messages />}
        {signIn && <SignIn />}
      </Suspense>
    </ThemeProvider>
  );
}

// Style sheets made by the page are let in by the nonce that the server gave this answer.
const nonce = document.querySelector<HTMLMetaElement>('meta[name="csp-nonce"]')?.content;
const styles = createCache({ key: "css", nonce });

startNews();
createRoot(document.getElementById("root")!).render(
  <StrictMode>
    <CacheProvider value={styles}>
      <QueryClientProvider client={queries}>
        <App />
      </QueryClientProvider>
    </CacheProvider>
  </StrictMode>,
);
