const HEIGHT = 100;

/** Shares of a picture from near (left) to far, over what is comfortable: green from `near` to `far`, in percent of the width. */
export function ChartBars({ shares, near, far }: { shares: number[]; near: number; far: number }) {
  const most = Math.max(...shares, 1e-6);
  const bar = 100 / shares.length;
  return (
    <svg
      viewBox={`0 0 100 ${HEIGHT}`}
      preserveAspectRatio="none"
      className="absolute inset-0 size-full"
      aria-hidden="true"
    >
      <rect x="0" y="0" width={near} height={HEIGHT} className="fill-warning/20" />
      <rect x={near} y="0" width={Math.max(0, far - near)} height={HEIGHT} className="fill-success/15" />
      <rect x={far} y="0" width={100 - far} height={HEIGHT} className="fill-warning/20" />
      {shares.map((share, i) => {
        // By the root, so that small things are seen too.
        const tall = Math.sqrt(share / most) * (HEIGHT * 0.78);
        return (
          <rect
            key={i}
            x={i * bar}
            y={HEIGHT - tall}
            width={bar}
            height={tall}
            className="fill-secondary/70"
          />
        );
      })}
    </svg>
  );
}
