import { useComputedColorScheme } from '@mantine/core';
import { useDebouncedValue } from '@mantine/hooks';
import { useQuery } from '@tanstack/react-query';
import { useEffect, useRef } from 'react';
import { said } from '../../shared/format';
import { Empty } from '../../shared/State';
import { pageOptions } from './questions';
import css from './PageView.module.css';

/** The style of a page that is shown without its own. */
const plain = (dark: boolean) => `
  body {
    margin: 14px; font: 13px/1.45 sans-serif;
    color: ${dark ? '#e8e8e8' : '#1f1f1f'}; background: ${dark ? '#1f1f1f' : '#ffffff'};
  }
  img {
    max-width: 150px; max-height: 150px; min-width: 12px; min-height: 12px;
    vertical-align: top; margin: 2px; outline: 1px dotted #8c8c8c;
  }
  h1, h2, h3, p, ul, ol, dl, figure { margin: 6px 0; }
  dt { font-weight: 600; }
  table { border-collapse: collapse; }
  td, th { border: 1px solid #8c8c8c; padding: 2px 6px; text-align: left; }
  .pointing *:hover:not(:has(:hover)) { outline: 2px solid #dd7229; cursor: crosshair; }`;

/** A whole document of what is left of a page. */
const documentOf = (body: string, dark: boolean) =>
  '<!doctype html><html lang="en"><head><meta charset="utf-8"><title>page</title>' +
  `<style>${plain(dark)}</style></head><body>${body}</body></html>`;

/**
 * A page without its scripts, styles and addresses. What a step finds is marked; a click tells which element
 * was meant.
 */
export function PageView({
  address: typed,
  marked,
  links = false,
  onPoint,
}: {
  address: string;
  marked: number[];
  links?: boolean;
  onPoint?: (element: number) => void;
}) {
  const [address] = useDebouncedValue(typed, 500);
  const frame = useRef<HTMLIFrameElement>(null);
  const dark = useComputedColorScheme('light') === 'dark';
  const page = useQuery(pageOptions(address));
  const html = page.data?.html ?? '';
  const marks = marked.length
    ? marked.map((n) => `[data-element="${n}"]`).join(',') +
      ' { outline: 2px solid #dd7229; outline-offset: 1px; }'
    : '';
  const show = () => {
    const doc = frame.current?.contentDocument;
    if (!doc?.body) return;
    let style = doc.getElementById('marks');
    if (!style) {
      style = doc.createElement('style');
      style.id = 'marks';
      doc.head.append(style);
    }
    style.textContent = marks;
    doc.body.className = onPoint ? 'pointing' : '';
    doc.onclick = (event) => {
      event.preventDefault();
      const at = event.target as Element | null;
      const hit = (links ? at?.closest('a[data-element]') : undefined) ?? at?.closest('[data-element]');
      if (hit && onPoint) onPoint(Number(hit.getAttribute('data-element')));
    };
  };
  // A frame changes its document by itself, at a time that its load event only tells afterwards.
  useEffect(() => {
    show();
    const timer = window.setInterval(show, 250);
    return () => window.clearInterval(timer);
  });
  if (!address.startsWith('http'))
    return (
      <Empty title="No page yet.">
        Enter the address of a page that lists the supplier’s products. Nothing is fetched from it but what is
        shown here.
      </Empty>
    );
  if (page.isPending) return <p className="quiet pad">Asking {address}…</p>;
  if (page.error)
    return (
      <div className="pad">
        <div className="note bad" role="alert">
          {said(page.error)}
        </div>
      </div>
    );
  return (
    <>
      <div className={`quiet clip ${css.caption}`}>{page.data.title} · shown without scripts and styles</div>
      <iframe
        ref={frame}
        title={`The page ${address}`}
        sandbox="allow-same-origin"
        onLoad={show}
        className={css.frame}
        srcDoc={documentOf(html, dark)}
      />
    </>
  );
}
