const paths = {
  back: "M10 3 5 8l5 5",
  undo: "M3 6h6a4 4 0 0 1 0 8H6M3 6l3-3M3 6l3 3",
  redo: "M13 6H7a4 4 0 0 0 0 8h3M13 6l-3-3M13 6l-3 3",
  plus: "M8 3v10M3 8h10",
  minus: "M3 8h10",
  close: "M4 4l8 8M12 4l-8 8",
  more: "M3.5 8h.01M8 8h.01M12.5 8h.01",
  open: "M4 6l4 4 4-4",
  shut: "M6 4l4 4-4 4",
  lit: "M8 1.5v2M8 12.5v2M1.5 8h2M12.5 8h2M3.4 3.4l1.4 1.4M11.2 11.2l1.4 1.4M12.6 3.4l-1.4 1.4M4.8 11.2l-1.4 1.4M8 5.5a2.5 2.5 0 1 0 0 5 2.5 2.5 0 0 0 0-5z",
  unlit: "M8 5.5a2.5 2.5 0 1 0 0 5 2.5 2.5 0 0 0 0-5z",
  aim: "M8 2v3M8 11v3M2 8h3M11 8h3",
  strip: "M2 4h12v8H2zM6 4v8M10 4v8",
  warning: "M8 2.5 14 13H2zM8 6.5v3M8 11.3h.01",
  group: "M3 5.5a2.5 2.5 0 1 0 5 0 2.5 2.5 0 1 0-5 0M8 10.5a2.5 2.5 0 1 0 5 0 2.5 2.5 0 1 0-5 0M7.2 7.2l1.6 1.6",
  solo: "M8 1.8a6.2 6.2 0 1 0 0 12.4A6.2 6.2 0 0 0 8 1.8zM8 6.2a1.8 1.8 0 1 0 0 3.6 1.8 1.8 0 0 0 0-3.6z",
  run: "M5 3.2v9.6L12.5 8z",
  still: "M4.5 4.5h7v7h-7z",
  stepOn: "M4.5 3.8v8.4L10 8zM12 4v8",
  stepBack: "M11.5 3.8v8.4L6 8zM4 4v8",
  sound: "M2.5 6v4M5 4v8M7.5 6.5v3M10 2.5v11M12.5 5.5v5",
  key: "M8 9.2V14M8 2.6a3.3 3.3 0 1 0 0 6.6 3.3 3.3 0 1 0 0-6.6z",
  keyHere: "M8 9.2V14M8 2.6a3.3 3.3 0 1 0 0 6.6 3.3 3.3 0 1 0 0-6.6zM8 5v1.8M7.1 5.9h1.8M6.6 4.6l2.8 2.6M9.4 4.6 6.6 7.2",
  follow: "M2 12c3-6 5-7 7.5-7M7.5 3 10 5 8 7.5M12.5 8.5a1.8 1.8 0 1 0 0 3.6 1.8 1.8 0 1 0 0-3.6z",
  turnWith: "M12.8 6.2A5.2 5.2 0 1 0 13.2 9M13.2 2.8v3.6H9.6M8 6.8a1.3 1.3 0 1 0 0 2.6 1.3 1.3 0 1 0 0-2.6z",
  cut: "M2 4.5h4v7H2zM10 4.5h4v7h-4zM8 2v2M8 7v2M8 12v2",
  point: "M3 8h9M8.5 4.5 12 8l-3.5 3.5",
} as const;

export type IconName = keyof typeof paths;

/** A picture in lines: the path of an SVG 16 units wide and high. */
export function Drawing({ path, size = 14, stroke = 1.4 }: { path: string; size?: number; stroke?: number }) {
  return (
    <svg
      width={size}
      height={size}
      viewBox="0 0 16 16"
      fill="none"
      stroke="currentColor"
      strokeWidth={stroke}
      strokeLinecap="round"
      strokeLinejoin="round"
      // A clip for each would be one more layer for the page to lay.
      overflow="visible"
      style={{ flex: "none" }}
      aria-hidden
    >
      <path d={path} />
    </svg>
  );
}

export function Icon({ name, size = 16 }: { name: IconName; size?: number }) {
  return <Drawing path={paths[name]} size={size} stroke={name === "more" ? 2.4 : 1.5} />;
}
