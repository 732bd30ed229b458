import type { FileDetail } from '../client';

/** The longer side of the rendition that is shown, pixels. */
export const shownSide = 1600;

/** Where the barcodes stand in the picture that is shown. */
export function CodePlaces({ file }: { file: FileDetail }) {
  if (file.codes.length === 0 || !file.width) return null;
  const part = Math.min(1, shownSide / Math.max(file.width, file.height));
  const width = file.width * part;
  const height = file.height * part;
  return (
    <svg
      className="codes"
      viewBox={`0 0 ${width} ${height}`}
      style={{ width: `min(100%, ${width}px)`, height: `min(100%, ${height}px)` }}
      role="img"
      aria-label={`Barcodes read: ${file.codes.map((c) => c.text).join(', ')}`}
    >
      {file.codes.map((c) => {
        const points = c.points.map((p) => [(p?.[0] ?? 0) * width, (p?.[1] ?? 0) * height] as const);
        const low = points.reduce((a, b) => (b[1] > a[1] ? b : a), points[0] ?? [0, 0]);
        return (
          <g key={c.text}>
            <polygon points={points.map((p) => p.join(',')).join(' ')} />
            <text
              x={low[0]}
              y={Math.min(height - 6, low[1] + height / 24)}
              fontSize={height / 28}
              textAnchor="middle"
            >
              {c.text}
            </text>
          </g>
        );
      })}
    </svg>
  );
}
