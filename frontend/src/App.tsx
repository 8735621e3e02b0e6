import { lazy, Suspense, useEffect, useState } from "react";
import { api, said, type Catalogue } from "./api/client";
import { useRoute } from "./route";
import { Notices, NoticeProvider } from "./ui/Notices";
import { Message } from "./ui/Message";

// Each view is a script of its own, so that the first comes quickly.
const Bench = lazy(() => import("./bench/Bench").then(({ Bench }) => ({ default: Bench })));
const Runs = lazy(() => import("./runs/Runs").then(({ Runs }) => ({ default: Runs })));
const Home = lazy(() => import("./plates/Home").then(({ Home }) => ({ default: Home })));

/** The plates, the bench of one of them, or the runs. */
export function App() {
  const route = useRoute();
  const [catalogue, setCatalogue] = useState<Catalogue | null>(null);
  const [failure, setFailure] = useState<string | null>(null);

  useEffect(() => {
    api.GET("/api/catalogue").then(
      ({ data, error }) => (data ? setCatalogue(data) : setFailure(said(error))),
      () => setFailure("Aurelon's service does not answer; start it again with make demo and reload this page."),
    );
  }, []);

  if (failure) return <Message title="Nothing to show yet">{failure}</Message>;
  if (!catalogue) return <Message title="Opening…" />;
  return (
    <NoticeProvider page={`${route.plate} ${route.runs}`}>
      <Suspense fallback={<Message title="Opening…" />}>
        {route.plate !== null ? (
          <Bench key={route.plate} plateId={route.plate} catalogue={catalogue} />
        ) : route.runs ? (
          <Runs chosen={route.run} />
        ) : (
          <Home catalogue={catalogue} />
        )}
      </Suspense>
      <Notices />
    </NoticeProvider>
  );
}
