import "@fontsource-variable/archivo";
import "./styles.css";

import createCache from "@emotion/cache";
import { CacheProvider } from "@emotion/react";
import { CssBaseline, ThemeProvider } from "@mui/material";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { createBrowserRouter, RouterProvider } from "react-router-dom";

import { startNews } from "./api/news";
import { ContactSheet } from "./contact/ContactSheet";
import { Messages } from "./Messages";
import { SignIn } from "./SignIn";
import { usePreferences } from "./state/preferences";
import { themeFor } from "./theme";
import { Workbench } from "./workbench/Workbench";

const router = createBrowserRouter([
  { path: "/", element: <ContactSheet /> },
  { path: "/scenes/:sceneId/:station?", element: <Workbench /> },
  { path: "*", element: <ContactSheet /> },
]);

function App() {
  const ground = usePreferences((s) => s.ground);
  document.documentElement.dataset.ground = ground;
  return (
    <ThemeProvider theme={themeFor(ground)}>
      <CssBaseline />
      <RouterProvider router={router} />
      <Messages />
      <SignIn />
    </ThemeProvider>
  );
}

// Style sheets made by the page are let in by the nonce that the server gave this answer.
const styles = createCache({ key: "css", nonce: document.querySelector<HTMLMetaElement>('meta[name="csp-nonce"]')?.content });

startNews();
createRoot(document.getElementById("root")!).render(
  <StrictMode>
    <CacheProvider value={styles}>
      <App />
    </CacheProvider>
  </StrictMode>,
);
