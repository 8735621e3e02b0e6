/** The link with the service, on a thread of its own: writing and reading messages and decoding pictures take nothing
 * from the page's thread, which belongs to the hand. */
import type { FrameHeader, PreviewFailure } from "../../../api/client";
import { meanColour } from "./meanColour";
import { Road } from "./road";
import type { Heard, Told } from "./messages";

let socket: WebSocket | null = null;
const road = new Road(self.location.hostname);

function tell(heard: Heard, transfer: Transferable[] = []): void {
  self.postMessage(heard, { transfer });
}

async function receive(data: ArrayBuffer): Promise<void> {
  const length = new DataView(data).getUint32(0, true);
  const header = JSON.parse(new TextDecoder().decode(new Uint8Array(data, 4, length))) as FrameHeader;
  if (header.part === "picture") {
    road.arrived(header, data.byteLength, performance.now());
    tell({ is: "answered", seq: header.seq });
  }
  if (header.packed === "rgba") {
    const samples = new ImageData(new Uint8ClampedArray(data, 4 + length), header.width, header.height);
    const bitmap = await createImageBitmap(samples);
    tell({ is: "picture", header, bitmap, bright: null }, [bitmap]);
    return;
  }
  const picture = new Blob([new Uint8Array(data, 4 + length)], { type: `image/${header.packed}` });
  if (header.part === "picture") {
    const bitmap = await createImageBitmap(picture);
    tell({ is: "picture", header, bitmap, bright: header.hdr ? picture : null }, [bitmap]);
  } else {
    tell({ is: "stage", header, picture, colour: header.part === "colour" ? await meanColour(picture) : null });
  }
}

function connect(url: string): void {
  const made = new WebSocket(url);
  made.binaryType = "arraybuffer";
  socket = made;
  made.onopen = () => tell({ is: "open" });
  made.onmessage = ({ data }: MessageEvent<ArrayBuffer | string>) => {
    if (typeof data === "string") tell({ is: "failed", failure: JSON.parse(data) as PreviewFailure });
    else void receive(data);
  };
  made.onclose = ({ code }) => tell({ is: "gone", code });
}

self.onmessage = ({ data: told }: MessageEvent<Told>) => {
  if (told.do === "connect") connect(told.url);
  else if (socket?.readyState === WebSocket.OPEN) {
    road.left(told.request.seq, performance.now());
    socket.send(JSON.stringify({ ...told.request, plain: road.wide }));
  }
};
