import { lazy, Suspense, useEffect, useState } from "react";
import { api, AWAY, NoAnswer, said, type Catalogue } from "./api/client";
import { useRoute } from "./route";
import { Notices, NoticeProvider, useNotices } from "./ui/Notices";
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
      () => setFailure(AWAY),
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
      <Unanswered />
      <Notices />
    </NoticeProvider>
  );
}

/** Says so where a press got no answer, whatever it was for. */
function Unanswered() {
  const { warn } = useNotices();
  useEffect(() => {
    const tell = (event: PromiseRejectionEvent) => {
      if (!(event.reason instanceof NoAnswer)) return;
      event.preventDefault();
      warn(event.reason.message);
    };
    window.addEventListener("unhandledrejection", tell);
    return () => window.removeEventListener("unhandledrejection", tell);
  }, [warn]);
  return null;
}
