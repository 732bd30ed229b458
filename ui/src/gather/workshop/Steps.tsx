import { ActionIcon, Button, NumberInput, Textarea, TextInput } from '@mantine/core';
import { IconX } from '@tabler/icons-react';
import type { Pick, Recipe, Report, Trial } from '../../client';
import { Rewriting } from './Rewriting';
import { steps, type Step } from './step';
import { StepLine } from './StepLine';
import css from './Steps.module.css';

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
    <StepLine
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
      <OfPictures recipe={recipe} set={set} />
    </div>
  );
}

/** Which pictures are taken, in which size, how slowly, and under which names. */
function OfPictures({ recipe, set }: { recipe: Recipe; set: (change: Partial<Recipe>) => void }) {
  return (
    <>
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
    </>
  );
}
