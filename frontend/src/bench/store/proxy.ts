import type { FrameHeader } from "../../api/client";

/** Width × height of the proxy that a picture was made from; null where it was made from the frame itself. */
export function proxyOf({ proxy }: FrameHeader): string | null {
  return proxy ? proxy.join(" × ") : null;
}
