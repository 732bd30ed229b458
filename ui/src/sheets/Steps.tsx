import { ActionIcon, Button, Menu, TextInput } from '@mantine/core';
import { IconX } from '@tabler/icons-react';
import { useState } from 'react';
import type { CellStep } from '../client';
import css from './Side.module.css';

/** Steps as people are offered them: what they do, what they need, and what is typed first. */
const kinds: { do: CellStep['do']; words: string; arg?: string; first?: string; with?: string }[] = [
  { do: 'split', words: 'Split at', arg: 'separator', first: ';' },
  { do: 'trim', words: 'Cut around it', arg: 'characters', first: '' },
  { do: 'prefix', words: 'Cut in front', arg: 'text', first: '' },
  { do: 'suffix', words: 'Cut behind', arg: 'text', first: '' },
  { do: 'upper', words: 'Upper case' },
  { do: 'lower', words: 'Lower case' },
  { do: 'replace', words: 'Replace', arg: 'pattern', first: '', with: 'by' },
  { do: 'default', words: 'If empty', arg: 'value', first: '' },
  { do: 'constant', words: 'Always', arg: 'value', first: '' },
];

const kindOf = (step: CellStep) => kinds.find((k) => k.do === step.do);

/** The small steps that a column's cells go through before they are judged. */
export function Steps({ steps, onSteps }: { steps: CellStep[]; onSteps: (steps: CellStep[]) => void }) {
  return (
    <div className="columns tight">
      {steps.map((step, i) => (
        <StepLine
          key={`${i} ${step.do}`}
          step={step}
          onStep={(next) => onSteps(steps.map((s, j) => (j === i ? next : s)))}
          onGone={() => onSteps(steps.filter((_, j) => j !== i))}
        />
      ))}
      <Menu position="bottom-start">
        <Menu.Target>
          <Button size="compact-xs" className={css.short}>
            Add a step…
          </Button>
        </Menu.Target>
        <Menu.Dropdown>
          {kinds.map((k) => (
            <Menu.Item
              key={k.do}
              onClick={() =>
                onSteps([...steps, { do: k.do, ...(k.first !== undefined && { arg: k.first }) }])
              }
            >
              {k.words}
              {k.arg && ' …'}
            </Menu.Item>
          ))}
        </Menu.Dropdown>
      </Menu>
    </div>
  );
}

function StepLine({
  step,
  onStep,
  onGone,
}: {
  step: CellStep;
  onStep: (step: CellStep) => void;
  onGone: () => void;
}) {
  const kind = kindOf(step);
  const [arg, setArg] = useState(step.arg ?? '');
  const [by, setBy] = useState(step.with ?? '');
  const done = () => {
    if (arg !== (step.arg ?? '') || by !== (step.with ?? ''))
      onStep({ ...step, arg, ...(kind?.with && { with: by }) });
  };
  return (
    <div className={css.step}>
      <span>{step.do === 'join' ? 'With what stands behind' : kind?.words}</span>
      <span className="columns tight">
        {kind?.arg && (
          <TextInput
            aria-label={kind.arg}
            placeholder={kind.arg}
            value={arg}
            onChange={(e) => setArg(e.currentTarget.value)}
            onBlur={done}
            onKeyDown={(e) => e.key === 'Enter' && done()}
          />
        )}
        {kind?.with && (
          <TextInput
            aria-label={kind.with}
            placeholder={kind.with}
            value={by}
            onChange={(e) => setBy(e.currentTarget.value)}
            onBlur={done}
            onKeyDown={(e) => e.key === 'Enter' && done()}
          />
        )}
      </span>
      <ActionIcon aria-label={`Remove ${kind?.words ?? 'this step'}`} onClick={onGone}>
        <IconX size={14} />
      </ActionIcon>
    </div>
  );
}
