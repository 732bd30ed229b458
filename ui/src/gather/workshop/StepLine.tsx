import { ActionIcon, TextInput, Tooltip } from '@mantine/core';
import { IconPointer } from '@tabler/icons-react';
import { useQuery } from '@tanstack/react-query';
import type { Pick, Report } from '../../client';
import { count, said } from '../../shared/format';
import { proposalOptions } from './questions';
import type { Step } from './step';
import css from './Steps.module.css';

interface LineProps {
  step: Step;
  pick: Pick;
  report: Report | undefined;
  onChange: (pick: Pick) => void;
  on: boolean;
  onPoint: () => void;
  element: number;
  address: string;
  done: () => void;
}

/** A step of a recipe: its selector, what it finds now, and pointing at it on the page. */
export function StepLine({ step, pick, report, onChange, on, onPoint, element, address, done }: LineProps) {
  return (
    <div className="below-little">
      <div className="spread apart lesser">
        <strong className="strong">{step.label}</strong>
        {report &&
          (report.found > 0 ? (
            <span className="good">{count(report.found)} found</span>
          ) : (
            <span className="bad">nothing</span>
          ))}
      </div>
      <div className="spread tight">
        <TextInput
          aria-label={`Selector: ${step.label}`}
          value={pick.selector}
          onChange={(e) => onChange({ ...pick, selector: e.currentTarget.value })}
          placeholder={step.hint || 'CSS selector'}
          className="grow"
          classNames={{ input: 'mono' }}
        />
        <TextInput
          aria-label={`Attribute: ${step.label}`}
          value={pick.attribute ?? ''}
          onChange={(e) => onChange({ ...pick, attribute: e.currentTarget.value })}
          placeholder="attr."
          title="An attribute to read; without one, what the element shows or leads to"
          w={78}
          classNames={{ input: 'mono' }}
        />
        <Tooltip label="Point at it on the page">
          <ActionIcon
            variant={on ? 'filled' : 'default'}
            {...(on ? { color: 'ember' } : {})}
            size={30}
            aria-label={`Point at: ${step.label}`}
            aria-pressed={on}
            onClick={onPoint}
          >
            <IconPointer size={16} />
          </ActionIcon>
        </Tooltip>
      </div>
      {element > 0 && (
        <Proposals
          step={step}
          element={element}
          address={address}
          onUse={(selector) => {
            onChange({ ...pick, selector });
            done();
          }}
        />
      )}
      {/* The line is there before its answer is: an answer that comes late moves nothing that somebody
          is about to press. */}
      {report?.problem ? (
        <div className="small bad" role="status">
          {report.problem}
        </div>
      ) : (
        pick.selector && (
          <div className={`mono clip quiet ${css.report}`} title={report?.samples.join('\n')}>
            {report?.samples.slice(0, 3).map(short).join('  ·  ')}
          </div>
        )
      )}
    </div>
  );
}

const short = (text: string) => (/^https?:/.test(text) ? text.replace(/^https?:\/\/[^/]+/, '') : text);

function Proposals({
  step,
  element,
  address,
  onUse,
}: {
  step: Step;
  element: number;
  address: string;
  onUse: (selector: string) => void;
}) {
  const found = useQuery(proposalOptions(address, element, step.many));
  const list = found.data?.items ?? [];
  if (found.error)
    return (
      <div className="note bad" role="alert">
        {said(found.error)}
      </div>
    );
  return (
    <div className="sheet airy" role="list" aria-label={`Selectors for ${step.label}`}>
      {list.map((p) => (
        <div role="listitem" key={p.selector}>
          <button className={`row mono ${css.attribute}`} onClick={() => onUse(p.selector)}>
            <span className="mono clip" title={p.selector}>
              {p.selector}
            </span>
            <span className="quiet">{count(p.matches)}</span>
          </button>
        </div>
      ))}
    </div>
  );
}
