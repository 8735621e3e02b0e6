import { lazy, Suspense, useEffect, useState } from "react";
import { api, AWAY, NoAnswer, said, type Catalogue } from "./api/client";
import { useRoute } from "./route";
import { Notices, NoticeProvider, useNotices } from "./ui/Notices";
import { useScale } from "./ui/scale";
import { Message } from "./ui/Message";

// Each view is a script of its own, so that the first comes quickly.
const bench = () => import("./bench/Bench").then(({ Bench }) => ({ default: Bench }));
const runs = () => import("./runs/Runs").then(({ Runs }) => ({ default: Runs }));
const home = () => import("./plates/Home").then(({ Home }) => ({ default: Home }));
const Bench = lazy(bench);
const Runs = lazy(runs);
const Home = lazy(home);
const QUIET = 2000; // ms after which the scripts of the other views are fetched, so that they are there when the service is not

/** The plates, the bench of one of them, or the runs. */
export function App() {
  const route = useRoute();
  useScale();
  const [catalogue, setCatalogue] = useState<Catalogue | null>(null);
  const [failure, setFailure] = useState<string | null>(null);

  useEffect(() => {
    api.GET("/api/catalogue").then(
      ({ data, error }) => (data ? setCatalogue(data) : setFailure(said(error))),
      () => setFailure(AWAY),
    );
  }, []);

  useEffect(() => {
    // One that cannot be had now is asked for again with its view.
    const fetchAll = () => void Promise.allSettled([bench(), runs(), home()]);
    const timer = window.setTimeout(fetchAll, QUIET);
    return () => window.clearTimeout(timer);
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
