import { ActionIcon, Checkbox } from '@mantine/core';
import { IconArrowDown, IconArrowUp } from '@tabler/icons-react';
import css from './ColumnChoice.module.css';

/** Chooses columns and their order. all: their names and what they are called. */
export function ColumnChoice({
  all,
  chosen,
  onChoose,
}: {
  all: [name: string, label: string][];
  chosen: string[];
  onChoose: (columns: string[]) => void;
}) {
  const labels = new Map(all);
  const rest = all.filter(([name]) => !chosen.includes(name));
  const move = (name: string, by: number) => {
    const list = [...chosen];
    const i = list.indexOf(name);
    const j = i + by;
    if (j < 0 || j >= list.length) return;
    list.splice(i, 1);
    list.splice(j, 0, name);
    onChoose(list);
  };
  return (
    <div className={`sheet scroll ${css.list}`}>
      {chosen.map((name) => (
        <div key={name} className={`row ${css.line}`}>
          <Checkbox
            size="xs"
            checked
            label={labels.get(name) ?? name}
            onChange={() => onChoose(chosen.filter((c) => c !== name))}
          />
          <ActionIcon aria-label={`${name} further up`} onClick={() => move(name, -1)}>
            <IconArrowUp size={15} />
          </ActionIcon>
          <ActionIcon aria-label={`${name} further down`} onClick={() => move(name, 1)}>
            <IconArrowDown size={15} />
          </ActionIcon>
        </div>
      ))}
      {rest.map(([name, label]) => (
        <div key={name} className="row">
          <Checkbox size="xs" checked={false} label={label} onChange={() => onChoose([...chosen, name])} />
        </div>
      ))}
    </div>
  );
}
