import { Button, NativeSelect, SegmentedControl, TextInput } from '@mantine/core';
import { useDebouncedValue } from '@mantine/hooks';
import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { reportTexts, type Edited, type PictureText, type TextsView } from '../client';
import { keepTextsMutation } from '../client/@tanstack/react-query.gen';
import { count, said, some } from '../shared/format';
import { CategoryField } from '../shared/CategoryField';
import { Picture } from '../shared/Picture';
import { Empty, Failed } from '../shared/State';
import { tell } from '../shared/tell';
import { BringTexts } from './BringTexts';
import { Kept } from './Kept';
import { LanguageField } from './LanguageField';
import { Templates } from './Templates';
import css from './Texts.module.css';
import { asked, kinds, nothingAsked, problems, type Choice, type Only } from './words';

/** How many texts are listed. */
const shown = 200;

/** Alternative texts for many: what is wrong with them, and drafts that are seen before they are kept. */
export function Texts() {
  const [choice, setChoice] = useState<Choice>(nothingAsked);
  const [only, setOnly] = useState<Only>('');
  const [edited, setEdited] = useState<ReadonlyMap<number, string>>(new Map());
  const [wanted] = useDebouncedValue(choice, 300);
  const body = { ...asked(wanted), limit: shown, ...(only && { only }) };
  const report = useQuery({
    queryKey: ['reportTexts', body],
    queryFn: async () => (await reportTexts({ body, throwOnError: true })).data,
    placeholderData: keepPreviousData,
  });
  const set = (part: Partial<Choice>) => {
    setEdited(new Map());
    setChoice({ ...choice, ...part });
  };
  if (report.error) return <Failed error={report.error} again={() => void report.refetch()} />;
  const view = report.data;
  return (
    <section className={css.page} aria-label="Alternative texts">
      <Head choice={choice} onChange={set} />
      {view && (
        <>
          <Templates
            templates={choice.templates ?? []}
            before={view.templates}
            wrong={view.wrong}
            onChange={(templates) => {
              if ((choice.templates ?? []).length === 0 && templates.length > 0) setOnly('drafted');
              set({ templates });
            }}
          />
          <Sums view={view} only={only} onOnly={setOnly}>
            <Keep
              choice={wanted}
              view={view}
              edited={[...edited].map(([placement, text]) => ({ placement, text }))}
              settled={wanted === choice && !report.isFetching}
              onKept={() => {
                setEdited(new Map());
                setOnly('');
                setChoice({ ...choice, templates: [] });
              }}
            />
          </Sums>
          <div className="scroll" tabIndex={0} role="region" aria-label="Texts">
            <Kept keepings={view.keepings} />
            {view.items.length === 0 && <Empty title="There is none of these." />}
            {view.items.map((t) => (
              <Line
                key={t.placement}
                text={t}
                own={edited.get(t.placement)}
                onEdit={(text) => setEdited(new Map(edited).set(t.placement, text))}
              />
            ))}
            {view.matching > shown && (
              <p className={`quiet ${css.more}`}>
                and {count(view.matching - shown)} more; all are in the sheet.
              </p>
            )}
          </div>
        </>
      )}
    </section>
  );
}

interface HeadProps {
  choice: Choice;
  onChange: (part: Partial<Choice>) => void;
}

/** Which texts, in which language. */
function Head({ choice: c, onChange }: HeadProps) {
  const sheet = new URLSearchParams({
    language: c.language ?? '',
    category: c.category ?? '',
    q: c.q ?? '',
  });
  return (
    <div className={css.head}>
      <LanguageField
        label="Language"
        placeholder="the usual one"
        value={c.language ?? ''}
        onChange={(language) => onChange({ language })}
      />
      <CategoryField
        label="Category"
        placeholder="all"
        value={c.category ?? ''}
        onChange={(category) => onChange({ category })}
      />
      <TextInput
        label="Products whose code, SKU, title or GTIN has"
        placeholder="anything"
        value={c.q ?? ''}
        onChange={(e) => onChange({ q: e.currentTarget.value })}
      />
      <NativeSelect
        label="What is drafted"
        data={[
          { value: 'missing', label: 'what is missing' },
          { value: 'drafts', label: 'drafts of before, too' },
        ]}
        value={c.over ?? 'missing'}
        onChange={(e) => onChange({ over: e.currentTarget.value as 'missing' | 'drafts' })}
      />
      <Button component="a" href={`/media/texts?${sheet.toString()}`}>
        As a sheet
      </Button>
      <BringTexts language={c.language ?? ''} />
    </div>
  );
}

interface SumsProps {
  view: TextsView;
  only: Only;
  onOnly: (to: Only) => void;
  children: React.ReactNode;
}

function Sums({ view, only, onOnly, children }: SumsProps) {
  const there = kinds.filter((k) => (view.counts[k.value] ?? 0) > 0 || k.value === only);
  return (
    <div className={`spread ${css.sums}`}>
      <span>
        <strong>{some(view.pictures, 'picture')}</strong>
      </span>
      <SegmentedControl
        aria-label="Listed"
        value={only}
        onChange={(to) => onOnly(to as Only)}
        data={[
          { value: '', label: 'All' },
          ...there.map((k) => ({ value: k.value, label: `${k.label} ${count(view.counts[k.value] ?? 0)}` })),
        ]}
      />
      <span className="push">{children}</span>
    </div>
  );
}

interface KeepProps {
  choice: Choice;
  view: TextsView;
  edited: Edited[];
  /** What is shown is what was asked for. */
  settled: boolean;
  onKept: () => void;
}

function Keep({ choice, view, edited, settled, onKept }: KeepProps) {
  const client = useQueryClient();
  const keep = useMutation({
    ...keepTextsMutation(),
    onError: (e) => {
      tell('Nothing was kept', said(e), true);
      void client.invalidateQueries();
    },
    onSuccess: () => {
      tell('The texts are kept', 'They can be taken back together, below.');
      onKept();
      void client.invalidateQueries();
    },
  });
  const drafted = view.counts['drafted'] ?? 0;
  if (drafted === 0) return null;
  return (
    <Button
      variant="filled"
      loading={keep.isPending}
      disabled={!settled}
      onClick={() => keep.mutate({ body: { ...asked(choice), seen: drafted, edited } })}
    >
      Keep {some(drafted, 'draft')}
    </Button>
  );
}

interface LineProps {
  text: PictureText;
  /** What a person wrote instead of the draft. */
  own: string | undefined;
  onEdit: (text: string) => void;
}

function Line({ text: t, own, onEdit }: LineProps) {
  const wrong = t.problems.map((p) => problems[p] ?? p).join(', ');
  return (
    <div className={`row ${css.line}`}>
      <Picture sum={t.sum} none="–" className="small" />
      <Link className="link mono clip" to={`/products/${t.product}`}>
        {t.sku}
      </Link>
      <span className="quiet">{t.view || `place ${t.place}`}</span>
      {t.to ? (
        <TextInput
          aria-label={`Text of ${t.sku} ${t.place}`}
          maxLength={500}
          value={own ?? t.to}
          onChange={(e) => onEdit(e.currentTarget.value)}
        />
      ) : (
        <span className="clip" title={t.text}>
          {t.text || <span className="quiet">no text</span>}
        </span>
      )}
      <span className="quiet clip" title={t.to ? t.text : undefined}>
        {t.to ? (t.text ? `was: ${t.text}` : 'new') : t.by === 'draft' && t.text ? 'a draft' : ''}
      </span>
      <span className={`clip ${css.wrong}`} title={wrong}>
        {wrong}
      </span>
    </div>
  );
}
