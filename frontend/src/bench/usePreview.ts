import { useCallback, useEffect, useRef, useState } from "react";
import type { Box, FrameHeader, Painting, PreviewFailure, PreviewRequest, Rig, Show, View } from "../api/client";

/** A frame that has come: its picture and what part of the plate it shows. */
export interface Shown {
  bitmap: ImageBitmap;
  view: View;
  exact: boolean;
  /** What of the frame is seen, after straightening and crop. */
  box: Box;
}

export interface Wanted {
  rig: Rig;
  /** A light whose group follows it. */
  lead: string | null;
  view: View;
  show: Show;
  light: string | null;
  clipping: boolean;
  /** A stroke that is being drawn on the rig. */
  painting: Painting | null;
}

export interface Preview {
  picture: Shown | null;
  stages: Record<string, Shown>;
  error: string | null;
  connected: boolean;
  /** True from a request until its exact picture is here. */
  busy: boolean;
}

const REST = 160; // ms without movement after which a drag counts as resting
const RECONNECT = 900;
const TOO_LARGE = 1009; // RFC 6455: a message that is too big to process

/** The live preview: sends the newest wish, keeps the newest frames. */
export function usePreview(plateId: number, wanted: Wanted | null, dragging: boolean, open = true): Preview {
  const socket = useRef<WebSocket | null>(null);
  const seq = useRef(0);
  const exactSeq = useRef(0);
  // The newest request of which each part has been shown: decoding takes different times, and nothing older follows.
  const newest = useRef<Record<string, number>>({});
  const latest = useRef<Wanted | null>(null);
  const sent = useRef<Rig | null>(null);
  const [connected, setConnected] = useState(false);
  const [picture, setPicture] = useState<Shown | null>(null);
  const [stages, setStages] = useState<Record<string, Shown>>({});
  const [error, setError] = useState<string | null>(null);
  const [busy, setBusy] = useState(false);

  const send = useCallback((draft: boolean) => {
    const now = latest.current;
    if (!now || socket.current?.readyState !== WebSocket.OPEN) return;
    // While a stroke is drawn only the stroke is sent, not all that was painted before.
    const known = now.painting !== null && sent.current === now.rig;
    sent.current = now.rig;
    const request: PreviewRequest = {
      ...now,
      rig: known ? null : now.rig,
      seq: ++seq.current,
      draft,
      stage_width: Math.round(150 * window.devicePixelRatio),
    };
    if (!draft) exactSeq.current = request.seq;
    setBusy(true);
    socket.current.send(JSON.stringify(request));
  }, []);

  useEffect(() => {
    if (!open) return;
    let closed = false;
    let timer = 0;
    const receive = async (data: ArrayBuffer) => {
      const length = new DataView(data).getUint32(0, true);
      const header = JSON.parse(new TextDecoder().decode(new Uint8Array(data, 4, length))) as FrameHeader;
      if (header.seq < (newest.current[header.part] ?? 0)) return;
      const bitmap = await createImageBitmap(new Blob([new Uint8Array(data, 4 + length)]));
      if (header.seq < (newest.current[header.part] ?? 0)) {
        bitmap.close();
        return;
      }
      newest.current[header.part] = header.seq;
      const shown: Shown = { bitmap, view: header.view, exact: header.exact, box: header.box };
      if (header.part === "picture") {
        setPicture(shown);
        setError(null);
        if (header.exact && header.seq >= exactSeq.current) setBusy(false);
      } else {
        setStages((all) => ({ ...all, [header.part]: shown }));
      }
    };
    const connect = () => {
      const scheme = window.location.protocol === "https:" ? "wss" : "ws";
      const ws = new WebSocket(`${scheme}://${window.location.host}/api/plates/${plateId}/preview`);
      ws.binaryType = "arraybuffer";
      socket.current = ws;
      ws.onopen = () => {
        setConnected(true);
        sent.current = null;
        send(false);
      };
      ws.onmessage = (event: MessageEvent<ArrayBuffer | string>) => {
        if (typeof event.data !== "string") return void receive(event.data);
        setError((JSON.parse(event.data) as PreviewFailure).error);
        setBusy(false);
      };
      ws.onclose = (event) => {
        setConnected(false);
        if (event.code === TOO_LARGE) {
          setError("This rig is too large to be shown live; remove some strokes. It is saved all the same.");
          latest.current = null;
        }
        if (!closed) timer = window.setTimeout(connect, RECONNECT);
      };
    };
    connect();
    return () => {
      closed = true;
      window.clearTimeout(timer);
      socket.current?.close();
    };
  }, [plateId, send, open]);

  // One request for each drawn frame at the most, and an exact one as soon as the hand rests.
  useEffect(() => {
    latest.current = wanted;
    if (!wanted) return;
    const frame = requestAnimationFrame(() => send(dragging));
    const rest = dragging ? window.setTimeout(() => send(false), REST) : 0;
    return () => {
      cancelAnimationFrame(frame);
      window.clearTimeout(rest);
    };
  }, [wanted, dragging, send]);

  return { picture, stages, error, connected, busy };
}
