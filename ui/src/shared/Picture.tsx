import { Modal } from '@mantine/core';
import { useState } from 'react';
import css from './Picture.module.css';

export const thumb = (sum: string) => `/media/${sum}/thumb`;
export const large = (sum: string) => `/media/${sum}/view`;
export const original = (sum: string, name: string) =>
  `/media/${sum}/original?name=${encodeURIComponent(name)}`;

/** A picture on its mat; what stands there when there is none is said. */
export function Picture({
  sum,
  alt = '',
  none = 'no picture',
  whole = false,
  className = '',
}: {
  sum: string;
  alt?: string;
  none?: string;
  whole?: boolean;
  className?: string;
}) {
  const [broken, setBroken] = useState('');
  return (
    <div className={`mat ${className}`}>
      {sum && broken !== sum ? (
        <img
          src={whole ? large(sum) : thumb(sum)}
          alt={alt}
          loading="lazy"
          decoding="async"
          draggable={false}
          onError={() => setBroken(sum)}
        />
      ) : (
        <span
          className={broken ? 'none broken' : 'none'}
          title={broken ? 'This picture cannot be shown.' : undefined}
        >
          {broken ? 'cannot be shown' : none}
        </span>
      )}
    </div>
  );
}

/** The large view. */
export function Enlarged({ sum, title, onClose }: { sum: string; title: string; onClose: () => void }) {
  return (
    <Modal opened={sum !== ''} onClose={onClose} title={<span className="mono">{title}</span>} size="90vw">
      <div className={`mat ${css.large}`}>{sum && <img src={large(sum)} alt={title} />}</div>
    </Modal>
  );
}
