import { Modal, SegmentedControl } from '@mantine/core';
import { useResizeObserver } from '@mantine/hooks';
import { useRef, useState, type CSSProperties, type UIEvent } from 'react';
import type { Shown } from '../client';
import { baseName } from '../shared/format';
import { large } from '../shared/Picture';

const scales = [
  { value: '0', label: 'whole' },
  { value: '0.5', label: '50 %' },
  { value: '1', label: '100 %' },
  { value: '2', label: '200 %' },
];

/**
 * Two pictures side by side, a pixel of one as large as a pixel of the other; what is scrolled in one is
 * scrolled in both.
 */
export function Compare({ one, other, onClose }: { one: Shown; other: Shown; onClose: () => void }) {
  const [chosen, setChosen] = useState('0');
  const [box, { width, height }] = useResizeObserver<HTMLDivElement>();
  const panes = useRef<(HTMLDivElement | null)[]>([]);
  const pictures = [one, other];
  const whole = Math.min(
    ...pictures.map((p) => Math.min(width / 2 / Math.max(1, p.width), height / Math.max(1, p.height))),
  );
  const scale = Number(chosen) || Math.min(1, whole);
  const together = (from: number) => (e: UIEvent<HTMLDivElement>) => {
    const to = panes.current[1 - from];
    if (to) to.scrollTo(e.currentTarget.scrollLeft, e.currentTarget.scrollTop);
  };
  return (
    <Modal opened onClose={onClose} size="96vw" title="Side by side, at the same scale">
      <div className="columns">
        <SegmentedControl
          className="start"
          aria-label="Scale"
          value={chosen}
          onChange={setChosen}
          data={scales}
          data-autofocus
        />
        <div className="compare" ref={box}>
          {pictures.map((p, i) => (
            <div
              key={p.id}
              ref={(pane) => {
                panes.current[i] = pane;
              }}
              className="mat pane"
              onScroll={together(i)}
              tabIndex={0}
              role="region"
              aria-label={baseName(p.path)}
            >
              <img
                src={large(p.sum)}
                alt={p.alt}
                style={
                  {
                    '--shown-width': `${p.width * scale}px`,
                    '--shown-height': `${p.height * scale}px`,
                  } as CSSProperties
                }
              />
            </div>
          ))}
        </div>
        <div className="columns two">
          {pictures.map((p) => (
            <span key={p.id} className="clip">
              <span className="mono">{baseName(p.path)}</span>{' '}
              <span className="quiet">
                {p.width} × {p.height}
              </span>
            </span>
          ))}
        </div>
      </div>
    </Modal>
  );
}
