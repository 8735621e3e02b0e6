import { useEffect, useState } from "react";
import { api, said, type Catalogue } from "./api/client";
import { Bench } from "./bench/Bench";
import { Home } from "./plates/Home";
import { useRoute } from "./route";
import { Notices, NoticeProvider } from "./ui/Notices";
import { Message } from "./ui/Message";

/** The plates, or the bench of one of them. */
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
    <NoticeProvider>
      {route.plate === null ? <Home catalogue={catalogue} /> : <Bench key={route.plate} plateId={route.plate} catalogue={catalogue} />}
      <Notices />
    </NoticeProvider>
  );
}
