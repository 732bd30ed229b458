import { ActionIcon, Button, Checkbox, NumberInput, Textarea, TextInput, Tooltip } from '@mantine/core';
import { IconPointer, IconX } from '@tabler/icons-react';
import { useQuery } from '@tanstack/react-query';
import type { Pick, Recipe, Report, Trial } from '../../client';
import { count, said } from '../../shared/format';
import { proposalOptions } from './questions';
import css from './Steps.module.css';

export interface Step {
  key: 'next' | 'product' | 'name' | 'sku' | 'barcode' | 'pictures' | number;
  name: string;
  label: string;
  on: 'listing' | 'product';
  many: boolean;
  hint: string;
}

const steps: Step[] = [
  {
    key: 'next',
    name: 'next page',
    label: 'Next page',
    on: 'listing',
    many: false,
    hint: 'link to the next listing',
  },
  {
    key: 'product',
    name: 'product pages',
    label: 'Product pages',
    on: 'listing',
    many: true,
    hint: 'links to products, or none',
  },
  { key: 'name', name: 'name', label: 'Name', on: 'product', many: false, hint: '' },
  { key: 'sku', name: 'SKU', label: 'SKU', on: 'product', many: false, hint: '' },
  { key: 'barcode', name: 'barcode', label: 'Barcode', on: 'product', many: false, hint: '' },
  {
    key: 'pictures',
    name: 'pictures',
    label: 'Pictures',
    on: 'product',
    many: true,
    hint: 'what shows or knows them',
  },
];

interface Props {
  recipe: Recipe;
  set: (change: Partial<Recipe>) => void;
  listing: Trial | undefined;
  product: Trial | undefined;
  pointing: Step | undefined;
  point: (step: Step | undefined) => void;
  element: number;
  address: string;
}

/** The steps of a recipe, each with what it finds now. */
export function Steps({ recipe, set, listing, product, pointing, point, element, address }: Props) {
  const reportOf = (step: Step): Report | undefined =>
    (step.on === 'listing' ? listing : product)?.steps.find((r) => r.step === step.name);
  const attributes = recipe.attributes ?? [];
  const attribute = (i: number): Step => ({
    key: i,
    name: `attribute ${attributes[i]?.name ?? ''}`,
    label: attributes[i]?.name ?? '',
    on: 'product',
    many: false,
    hint: '',
  });
  const change = (step: Step, pick: Pick) =>
    set(
      typeof step.key === 'number'
        ? { attributes: attributes.map((a, n) => (n === step.key ? { ...a, ...pick } : a)) }
        : { [step.key]: pick },
    );
  const line = (step: Step, pick: Pick) => (
    <Line
      key={String(step.key)}
      step={step}
      pick={pick}
      report={pick.selector ? reportOf(step) : undefined}
      onChange={(p) => change(step, p)}
      on={pointing?.key === step.key}
      onPoint={() => point(pointing?.key === step.key ? undefined : step)}
      element={pointing?.key === step.key ? element : 0}
      address={address}
      done={() => point(undefined)}
    />
  );
  return (
    <div className={`scroll ${css.steps}`} tabIndex={0} role="region" aria-label="Steps of the recipe">
      <Textarea
        label="Start pages"
        description="an address a line"
        autosize
        minRows={1}
        maxRows={4}
        value={(recipe.start ?? []).join('\n')}
        onChange={(e) => set({ start: e.currentTarget.value.split('\n') })}
        placeholder="https://supplier.example/catalog"
        classNames={{ input: 'mono' }}
      />
      <h2 className="stephead">On the start page, and those it leads to</h2>
      {steps.slice(0, 2).map((s) => line(s, recipe[s.key as 'next']))}
      <h2 className="stephead">On a product’s page</h2>
      {steps.slice(2).map((s) => line(s, recipe[s.key as 'name']))}
      {attributes.map((a, i) => (
        <div key={i}>
          <div className="spread tight below-little">
            <TextInput
              aria-label="Name of the attribute"
              placeholder="Attribute, as Colour"
              value={a.name}
              onChange={(e) =>
                set({
                  attributes: attributes.map((b, n) => (n === i ? { ...b, name: e.currentTarget.value } : b)),
                })
              }
            />
            <ActionIcon
              aria-label={`Remove ${a.name || 'the attribute'}`}
              onClick={() => set({ attributes: attributes.filter((_, n) => n !== i) })}
            >
              <IconX size={15} />
            </ActionIcon>
          </div>
          {a.name && line(attribute(i), a)}
        </div>
      ))}
      <Button
        size="compact-xs"
        mt={8}
        onClick={() => set({ attributes: [...attributes, { name: '', selector: '' }] })}
      >
        Add an attribute
      </Button>
      <h2 className="stephead">Pictures</h2>
      <Textarea
        label="Leave out"
        description="selectors, one a line: film stills, logos"
        autosize
        minRows={1}
        maxRows={4}
        value={(recipe.exclude ?? []).join('\n')}
        onChange={(e) => set({ exclude: e.currentTarget.value.split('\n') })}
        classNames={{ input: 'mono' }}
      />
      <Rewriting recipe={recipe} set={set} />
      <div className={`columns ${css.pair}`}>
        <NumberInput
          label="Least width"
          min={0}
          value={recipe.minWidth ?? 0}
          onChange={(n) => set({ minWidth: Number(n) })}
        />
        <NumberInput
          label="Least height"
          min={0}
          value={recipe.minHeight ?? 0}
          onChange={(n) => set({ minHeight: Number(n) })}
        />
        <NumberInput
          label="Pause between pages, ms"
          min={0}
          value={recipe.pauseMs ?? 0}
          onChange={(n) => set({ pauseMs: Number(n) })}
        />
        <NumberInput
          label="At most, pages"
          description=""
          min={0}
          value={recipe.maxPages || 5000}
          onChange={(n) => set({ maxPages: Number(n) })}
        />
      </div>
      <TextInput
        mt={8}
        label="Names of files"
        value={recipe.template ?? ''}
        onChange={(e) => set({ template: e.currentTarget.value })}
        placeholder="{sku}-{n}"
        description="{sku} {barcode} {name} {page} {file} {n}, and attributes by name"
        classNames={{ input: 'mono' }}
      />
    </div>
  );
}

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

function Line({ step, pick, report, onChange, on, onPoint, element, address, done }: LineProps) {
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
          <div
            className={`mono clip quiet ${css.report}`}
            title={report?.samples.join('\n')}
          >
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
          <button
            className={`row mono ${css.attribute}`}
            onClick={() => onUse(p.selector)}
          >
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

function Rewriting({ recipe, set }: { recipe: Recipe; set: (change: Partial<Recipe>) => void }) {
  const list = recipe.rewriting ?? [];
  const change = (i: number, to: Partial<(typeof list)[number]>) =>
    set({ rewriting: list.map((r, n) => (n === i ? { ...r, ...to } : r)) });
  return (
    <div className="below-some">
      <div className="lesser strong">Rewriting of addresses, to larger pictures</div>
      {list.map((r, i) => (
        <div key={i} className="spread tight below-little">
          <TextInput
            aria-label={`Find ${i + 1}`}
            value={r.find}
            onChange={(e) => change(i, { find: e.currentTarget.value })}
            placeholder="find"
            className="grow"
            classNames={{ input: 'mono' }}
          />
          <TextInput
            aria-label={`Replace with ${i + 1}`}
            value={r.with}
            onChange={(e) => change(i, { with: e.currentTarget.value })}
            placeholder="replace with"
            className="grow"
            classNames={{ input: 'mono' }}
          />
          <Checkbox
            size="xs"
            label="pattern"
            checked={r.pattern}
            onChange={(e) => change(i, { pattern: e.currentTarget.checked })}
          />
          <ActionIcon
            aria-label={`Remove rewriting ${i + 1}`}
            onClick={() => set({ rewriting: list.filter((_, n) => n !== i) })}
          >
            <IconX size={15} />
          </ActionIcon>
        </div>
      ))}
      <Button
        size="compact-xs"
        mt={6}
        onClick={() => set({ rewriting: [...list, { find: '', with: '', pattern: false }] })}
      >
        Add a rewriting
      </Button>
    </div>
  );
}
