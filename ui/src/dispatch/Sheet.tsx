import { ActionIcon, Button, NativeSelect, NumberInput, TextInput } from '@mantine/core';
import { useDebouncedValue } from '@mantine/hooks';
import { IconArrowDown, IconArrowUp, IconX } from '@tabler/icons-react';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import {
  rehearseDispatch,
  type Outlet,
  type Settings,
  type SheetColumn,
  type SheetSettings,
} from '../client';
import { some } from '../shared/format';
import { AppendSheet } from './AppendSheet';
import css from './Dispatch.module.css';
import { readyColumns, separators, sheetFormats, sheetMany, sheetRows } from './words';

interface Props {
  settings: Settings;
  onChange: (to: Settings) => void;
  outlet: Outlet | undefined;
  /** What is shown is not kept yet. */
  changed: boolean;
}

/** The sheet that goes along: its form, its columns, and what it would say. */
export function Sheet({ settings, onChange, outlet, changed }: Props) {
  const s = settings.sheet;
  const set = (part: Partial<SheetSettings>) => onChange({ ...settings, sheet: { ...s, ...part } });
  return (
    <div className={css.sheet}>
      <div className={css.form} role="group" aria-label="The form of the sheet">
        <NativeSelect
          label="Goes along as"
          data={sheetFormats}
          value={s.format}
          onChange={(e) => set({ format: e.currentTarget.value as SheetSettings['format'] })}
        />
        {s.format !== 'none' && (
          <>
            <NativeSelect
              label="A row is"
              data={sheetRows}
              value={s.rows}
              onChange={(e) => set({ rows: e.currentTarget.value as SheetSettings['rows'] })}
            />
            {s.format === 'csv' && (
              <NativeSelect
                label="Between cells"
                data={separators}
                value={s.separator}
                onChange={(e) => set({ separator: e.currentTarget.value as SheetSettings['separator'] })}
              />
            )}
            {s.format === 'xlsx' && (
              <NumberInput
                label="Pictures in it"
                placeholder="none"
                suffix=" px"
                min={0}
                max={320}
                value={s.size || ''}
                onChange={(n) => set({ size: Number(n) })}
              />
            )}
            {s.rows !== 'picture' && (
              <TextInput
                label="Between several in a cell"
                value={s.between}
                maxLength={10}
                onChange={(e) => set({ between: e.currentTarget.value })}
              />
            )}
            <TextInput
              className={css.base}
              label="Before a name, in its address"
              placeholder="https://cdn.example.com/"
              value={s.base}
              onChange={(e) => set({ base: e.currentTarget.value })}
            />
          </>
        )}
      </div>
      {s.format !== 'none' && <Columns sheet={s} onChange={(columns) => set({ columns })} />}
      {s.format !== 'none' && outlet && (
        <div className="spread">
          <Button component="a" href={`/media/outlets/${outlet.id}/sheet`} disabled={changed}>
            Take the sheet alone
          </Button>
          {s.format === 'xlsx' && <AppendSheet outlet={outlet} disabled={changed} />}
          {changed && <span className="quiet">Keep what you changed first.</span>}
        </div>
      )}
    </div>
  );
}

interface ColumnsProps {
  sheet: SheetSettings;
  onChange: (to: SheetColumn[]) => void;
}

/** The columns, in their order, each with what it says. */
function Columns({ sheet, onChange }: ColumnsProps) {
  const all = sheet.columns;
  const change = (i: number, part: Partial<SheetColumn>) =>
    onChange(all.map((c, at) => (at === i ? { ...c, ...part } : c)));
  const move = (i: number, to: number) => {
    if (to < 0 || to >= all.length) return;
    const list = [...all];
    list.splice(to, 0, ...list.splice(i, 1));
    onChange(list);
  };
  const several = sheet.rows !== 'picture';
  return (
    <div className={css.columns} role="group" aria-label="Columns">
      {all.map((c, i) => (
        <div key={i} className={several ? css.columnSeveral : css.column}>
          <TextInput
            aria-label={`Title of column ${i + 1}`}
            placeholder="title"
            value={c.header}
            onChange={(e) => change(i, { header: e.currentTarget.value })}
          />
          <TextInput
            aria-label={`What stands in column ${i + 1}`}
            placeholder="[sku]"
            classNames={{ input: 'mono' }}
            value={c.value}
            onChange={(e) => change(i, { value: e.currentTarget.value })}
          />
          {several && (
            <NativeSelect
              aria-label={`Several in column ${i + 1}`}
              data={sheetMany}
              value={c.many}
              onChange={(e) => change(i, { many: e.currentTarget.value as SheetColumn['many'] })}
            />
          )}
          <ActionIcon aria-label={`Column ${i + 1} further up`} onClick={() => move(i, i - 1)}>
            <IconArrowUp size={14} />
          </ActionIcon>
          <ActionIcon aria-label={`Column ${i + 1} further down`} onClick={() => move(i, i + 1)}>
            <IconArrowDown size={14} />
          </ActionIcon>
          <ActionIcon
            aria-label={`Column ${i + 1} away`}
            onClick={() => onChange(all.filter((_, at) => at !== i))}
          >
            <IconX size={14} />
          </ActionIcon>
        </div>
      ))}
      <NativeSelect
        aria-label="Add a column"
        data={[{ value: '', label: 'Add a column …' }, ...readyColumns.map((c) => c.header), 'One’s own']}
        value=""
        onChange={(e) => {
          const found = readyColumns.find((c) => c.header === e.currentTarget.value);
          if (e.currentTarget.value) onChange([...all, found ?? { header: '', value: '', many: 'first' }]);
        }}
      />
    </div>
  );
}

/** How many rows of the sheet are shown. */
const shown = 50;

/** What the sheet would say, its first rows. */
export function SheetPreview({ settings, outlet }: { settings: Settings; outlet: number | undefined }) {
  const [asked] = useDebouncedValue(settings, 250);
  const rehearsed = useQuery({
    queryKey: ['rehearseDispatch', asked, 'sheet', outlet],
    queryFn: async () => {
      const body = { settings: asked, limit: shown, only: 'sheet' as const, ...(outlet && { outlet }) };
      return (await rehearseDispatch({ body, throwOnError: true })).data;
    },
    placeholderData: keepPreviousData,
  });
  const view = rehearsed.data;
  if (!view || settings.sheet.format === 'none') return null;
  if (view.wrong)
    return (
      <div className="pad">
        <div className="note bad" role="alert">
          {view.wrong}
        </div>
      </div>
    );
  return (
    <div className="scroll" tabIndex={0} role="region" aria-label="What the sheet says">
      <table className={css.preview}>
        <caption className="quiet">
          {some(view.matching, 'row')}
          {view.matching > shown && `; the first ${shown}:`}
        </caption>
        <thead>
          <tr>
            {view.header.map((title, i) => (
              <th key={i} scope="col">
                {title}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {view.rows.map((cells, r) => (
            <tr key={r}>
              {(cells ?? []).map((text, i) => (
                <td key={i} className="clip" title={text}>
                  {text}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
