import type { FrameHeader, PreviewFailure, PreviewRequest } from "../../../api/client";

/** A request but for how its picture is packed, which the link knows. */
export type Wanted = Omit<PreviewRequest, "plain">;

/** What the page tells its link with the service. */
export type Told = { do: "connect"; url: string } | { do: "send"; request: Wanted };

/** What the link tells the page. */
export type Heard =
  | { is: "open" }
  /** The picture that was asked for has come, and is being decoded. */
  | { is: "answered"; seq: number }
  /** `bright`: the same as it is for a screen of high dynamic range, where it is more than `bitmap` holds. */
  | { is: "picture"; header: FrameHeader; bitmap: ImageBitmap; bright: Blob | null }
  /** A small picture of a stage; `colour` is its mean as CSS, null where it is dark. */
  | { is: "stage"; header: FrameHeader; picture: Blob; colour: string | null }
  | { is: "failed"; failure: PreviewFailure }
  | { is: "gone"; code: number };
