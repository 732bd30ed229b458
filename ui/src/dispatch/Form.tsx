import { Autocomplete, ColorInput, NativeSelect, NumberInput } from '@mantine/core';
import type { RenditionRecipe } from '../client';
import css from './Dispatch.module.css';
import { formats, metadata, ratios } from './words';

interface Props {
  recipe: RenditionRecipe;
  onChange: (to: RenditionRecipe) => void;
}

/** In which form pictures go: the format, how large at most, the canvas, and what the file says. */
export function Form({ recipe: r, onChange }: Props) {
  const set = (part: Partial<RenditionRecipe>) => onChange({ ...r, ...part });
  const made = r.format !== 'original';
  return (
    <div className={css.form} role="group" aria-label="The form that pictures go in">
      <NativeSelect
        label="Pictures go as"
        data={formats}
        value={r.format}
        onChange={(e) => {
          const format = e.currentTarget.value as RenditionRecipe['format'];
          set({ format, most: format === 'png' ? 0 : r.most });
        }}
      />
      {made && (
        <>
          <Pixels label="Width at most" value={r.width} onChange={(width) => set({ width })} />
          <Pixels label="Height at most" value={r.height} onChange={(height) => set({ height })} />
          <Autocomplete
            size="xs"
            label="On a canvas of"
            placeholder="no canvas"
            data={ratios}
            value={r.ratio}
            onChange={(ratio) => set({ ratio })}
          />
          <ColorInput
            size="xs"
            label="Its colour"
            placeholder="#ffffff"
            value={r.colour}
            onChange={(colour) => set({ colour })}
            swatches={['#ffffff', '#f5f5f5', '#000000']}
          />
          {r.format !== 'png' && (
            <>
              <NumberInput
                label="Quality"
                placeholder="common"
                min={1}
                max={100}
                allowDecimal={false}
                value={r.quality || ''}
                onChange={(n) => set({ quality: Number(n) })}
              />
              <NumberInput
                label="kB at most"
                placeholder="any"
                min={1}
                max={1_000_000}
                allowDecimal={false}
                value={r.most ? Math.round(r.most / 1000) : ''}
                onChange={(n) => set({ most: Number(n) * 1000 })}
              />
            </>
          )}
          <NativeSelect
            label="The file says"
            data={metadata}
            value={r.metadata}
            onChange={(e) => set({ metadata: e.currentTarget.value as RenditionRecipe['metadata'] })}
          />
        </>
      )}
    </div>
  );
}

interface PixelsProps {
  label: string;
  value: number;
  onChange: (to: number) => void;
}

const Pixels = ({ label, value, onChange }: PixelsProps) => (
  <NumberInput
    label={label}
    placeholder="any"
    suffix=" px"
    min={1}
    max={20000}
    allowDecimal={false}
    value={value || ''}
    onChange={(n) => onChange(Number(n))}
  />
);
