import { ActionIcon, Autocomplete, Button, TextInput } from '@mantine/core';
import { IconX } from '@tabler/icons-react';
import type { TextTemplate } from '../client';
import css from './Texts.module.css';
import { shotViews } from '../shared/shotViews';

interface Props {
  templates: TextTemplate[];
  /** Those that were used last in this language. */
  before: TextTemplate[];
  wrong: string;
  onChange: (to: TextTemplate[]) => void;
}

/** What texts are drafted from: one for all, and others by view. */
export function Templates({ templates, before, wrong, onChange }: Props) {
  if (templates.length === 0)
    return (
      <div className={`spread ${css.templates}`}>
        <Button
          onClick={() =>
            onChange(before.length > 0 ? before : [{ view: '', template: '[title], [options], [view]' }])
          }
        >
          Draft texts…
        </Button>
        <span className="quiet">from what the catalog says; they are seen before they are kept</span>
      </div>
    );
  const change = (i: number, part: Partial<TextTemplate>) =>
    onChange(templates.map((t, at) => (at === i ? { ...t, ...part } : t)));
  return (
    <div className={css.templates} role="group" aria-label="Templates">
      {templates.map((t, i) => (
        <div key={i} className={css.template}>
          <Autocomplete
            size="xs"
            aria-label={`View of template ${i + 1}`}
            placeholder="all other views"
            data={shotViews}
            maxLength={40}
            value={t.view}
            onChange={(view) => change(i, { view })}
          />
          <TextInput
            aria-label={`Template ${i + 1}`}
            classNames={{ input: 'mono' }}
            maxLength={1000}
            value={t.template}
            onChange={(e) => change(i, { template: e.currentTarget.value })}
          />
          <ActionIcon
            aria-label={`Template ${i + 1} away`}
            onClick={() => onChange(templates.filter((_, at) => at !== i))}
          >
            <IconX size={14} />
          </ActionIcon>
        </div>
      ))}
      <div className="spread">
        <Button
          size="compact-xs"
          variant="subtle"
          onClick={() => onChange([...templates, { view: 'detail', template: templates[0]?.template ?? '' }])}
        >
          Another for a view
        </Button>
        <span className="quiet small">
          Fields in brackets: [title] [options] [option Colour] [view] [sku]; after | comes what stands there
          when it is empty.
        </span>
      </div>
      {wrong && (
        <div className="note bad" role="alert">
          {wrong}
        </div>
      )}
    </div>
  );
}
