import type { SweepFinding } from '../client';
import { Choose, lookOf, type Look } from '../shared/Choose';
import { baseName, bytes, count } from '../shared/format';
import { Picture } from '../shared/Picture';
import css from './Upkeep.module.css';
import { reasonOf } from './words';

/** How a finding looks in a list. */
export interface FindingLook extends Look {
  finding: SweepFinding;
  fresh: boolean;
}

const shownOf = (f: SweepFinding) => (f.problem ? '' : f.sum);

/** What stands in the stead of a picture. */
const noneOf = (f: SweepFinding) => f.problem || (f.file ? 'not a picture' : f.lot ? 'lot' : f.path);

/** What it is of, beside its reason. */
const ofWhat = (f: SweepFinding) => (f.file ? f.code : f.title || f.detail);

const day = new Intl.DateTimeFormat('en-GB', { day: 'numeric', month: 'short', year: 'numeric' });

/** A finding as a line of the table. */
export function FindingRow(look: FindingLook) {
  const f = look.finding;
  return (
    <div className={lookOf(`row pick ${css.line} ${css.tallLine}`, look)}>
      <Choose name={look.finding.path} look={look} />
      <Picture sum={shownOf(f)} none="–" className="small" />
      <button className="link mono clip" onClick={look.onPress} title={f.path}>
        {baseName(f.path)}
      </button>
      <span className="clip" title={f.detail}>
        {reasonOf(f.reason)} {f.detail && <span className="quiet">{f.detail}</span>}
      </span>
      <span className="clip quiet">{ofWhat(f) || f.lotName}</span>
      <span className="num quiet">{day.format(new Date(f.since))}</span>
      <span className="num">{f.bytes > 0 && bytes(f.bytes)}</span>
      <span className="num">{f.frees ? bytes(f.frees) : <span className="quiet">–</span>}</span>
    </div>
  );
}

/** A finding on the contact sheet. */
export function FindingCard(look: FindingLook) {
  const f = look.finding;
  return (
    <div className={lookOf('card', look)}>
      <Choose name={look.finding.path} look={look} />
      <button className="link card" onClick={look.onPress} title={f.path} tabIndex={-1}>
        <Picture sum={shownOf(f)} none={noneOf(f)} />
        <span className="mono clip">{baseName(f.path)}</span>
        <span className="clip quiet">
          {look.fresh && <strong className={css.fresh}>new </strong>}
          {reasonOf(f.reason)}
        </span>
        <span className="quiet small clip">
          {ofWhat(f)} {f.bytes > 0 && bytes(f.bytes)}
          {f.group > 0 && ` · group ${count(f.group)}`}
        </span>
      </button>
    </div>
  );
}
