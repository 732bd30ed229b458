import type { Recorded } from '../client';
import { count, some } from '../shared/format';

/** What an action did, in the words of the past; what it was done to follows as a link. */
export const phrases: Record<Recorded['action'], string> = {
  'catalog.import': 'imported products from a file',
  'category.change': 'edited the category',
  'clue-list.change': 'edited the clue list',
  'clue-list.make': 'created the clue list',
  'clue-list.remove': 'deleted a clue list',
  'dispatch.drop-package': 'deleted an expired package',
  'dispatch.end': 'finished sending',
  'dispatch.end-link': 'ended the download link of a package',
  'dispatch.link': 'created a download link for a package',
  'dispatch.mailed': 'mailed a package',
  'drop-folder.take': 'made a lot of dropped files',
  'drop-person.add': 'gave somebody access to the drop folder',
  'drop-person.remove': 'removed somebody’s access to the drop folder',
  'file.decide': 'decided',
  'file.order': 'ordered pictures',
  'file.pin': 'pinned the file',
  'file.take-back': 'undid a decision',
  'file.unpin': 'unpinned the file',
  'findings.hold': 'put files on hold',
  'holding.purge': 'purged files that were on hold',
  'holding.restore': 'restored files that were on hold',
  'import.revert': 'started to revert an import',
  'lot.close': 'closed the upload',
  'lot.create': 'created the lot',
  'lot.discard': 'discarded the lot',
  'lot.examine': 'examined the lot',
  'lot.forget': 'removed an empty lot',
  'lot.read': 'had names read again',
  'lot.read-with': 'changed the clue list',
  'lot.restore': 'restored the lot',
  'lot.finish': 'finished the lot',
  'lot.reopen': 'reopened the lot',
  'lot.rights': 'set rights',
  'lot.scan': 'had barcodes read',
  'lot.teach': 'added a clue',
  'origin.ask': 'looked up barcodes',
  'origin.change': 'edited the origin',
  'origin.decline-answers': 'declined pictures that were found',
  'origin.fetch': 'started a fetch',
  'origin.make': 'added the origin',
  'origin.remove': 'deleted an origin',
  'origin.take-answers': 'took pictures that were found',
  'origin.take-pictures': 'took pictures from a web page',
  'outlet.change': 'edited the outlet',
  'outlet.end-exception': 'removed exceptions',
  'outlet.except': 'allowed uncleared pictures',
  'outlet.make': 'created the outlet',
  'outlet.remove': 'deleted an outlet',
  'outlet.send': 'started sending',
  'pictures.arrange': 'edited pictures',
  'pictures.place': 'placed pictures',
  'pictures.revert': 'reverted pictures',
  'pictures.views': 'set views',
  'pictures.transfer': 'moved or copied pictures',
  'plan.applied': 'finished applying',
  'plan.apply': 'started applying',
  'plan.change': 'changed a product of the plan',
  'plan.make': 'made a plan',
  'plan.remake': 'refreshed the plan',
  'plan.revert': 'started reverting',
  'plan.reverted': 'finished reverting',
  'plan.set-aside': 'set files aside in the plan',
  'plan.spread': 'planned one picture for several products',
  'plan.swap': 'planned to replace files',
  'product.change': 'edited product data',
  'product.import': 'imported product data',
  'product.import-revert': 'reverted imported product data',
  'request.close': 'closed or reopened the request',
  'request.make': 'created the request',
  'run.end': 'finished a run',
  'run.resume': 'resumed a run',
  'run.stop': 'stopped a run',
  'settings.mailing': 'changed where messages are mailed to',
  'settings.upkeep': 'changed the settings of Upkeep',
  'sheet.bring': 'added the sheet',
  'sheet.check': 'had the sheet checked again',
  'sheet.discard': 'discarded the sheet',
  'sheet.edit': 'edited cells',
  'sheet.import': 'started the import',
  'sheet.keep-mapping': 'saved the mapping',
  'sheet.map': 'changed the mapping',
  'sheet.pair': 'paired pictures by the sheet',
  'sheet.read': 'had the sheet read again',
  'sheet.restore': 'restored the sheet',
  'sheet.unpair': 'reverted the pairs of the sheet',
  'shelf.change': 'changed the shelf',
  'shelf.undo': 'undid a change of the shelf',
  'shot-list.remove': 'deleted a shot list',
  'shot-list.set': 'set a shot list',
  'stray.drop': 'deleted objects that no file uses',
  'stray.take-in': 'made a lot of objects that no file uses',
  'supplier-link.hand-in': 'handed in files',
  'supplier-link.make': 'created a supplier link',
  'supplier-link.renew': 'renewed a supplier link',
  'supplier-link.revoke': 'ended a supplier link',
  'sweep.begin': 'started a sweep',
  'sweep.end': 'finished a sweep',
  'texts.keep': 'saved alternative texts',
  'texts.undo': 'undid alternative texts',
  'upload.finish': 'uploaded a file',
  'upload.give-up': 'cancelled an upload',
};

/** A value that was kept with a line, where it is of the kind that is asked for. */
function kept(line: Recorded, of: 'before' | 'after', name: string): unknown {
  const value: unknown = line[of];
  return typeof value === 'object' && value !== null && name in value
    ? (value as Record<string, unknown>)[name]
    : undefined;
}

const number = (line: Recorded, of: 'before' | 'after', name: string) => {
  const value = kept(line, of, name);
  return typeof value === 'number' ? value : 0;
};

const text = (line: Recorded, name: string) => {
  const value = kept(line, 'after', name) ?? kept(line, 'before', name);
  return typeof value === 'string' ? value : '';
};

/** What a line says beside what was done, to what: how much, why. Empty where that is all. */
export function details(line: Recorded): string {
  const of = line.after === undefined ? 'before' : 'after';
  const parts = (['added', 'removed', 'moved'] as const)
    .map((name) => number(line, of, name) > 0 && `${count(number(line, of, name))} ${name}`)
    .concat(
      text(line, 'verdict'),
      text(line, 'reason'),
      text(line, 'because'),
      number(line, of, 'files') > 0 && some(number(line, of, 'files'), 'file'),
      number(line, of, 'texts') > 0 && some(number(line, of, 'texts'), 'text'),
      number(line, of, 'found') > 0 && some(number(line, of, 'found'), 'finding'),
      text(line, 'message'),
    );
  return parts.filter(Boolean).join(', ');
}

/** What a run did, in the words of the past. */
const runs: Record<string, string> = {
  examine: 'examined files',
  pair: 'read the names',
  fetch: 'fetched files',
  lookup: 'looked up barcodes',
  barcodes: 'read barcodes in loose pictures',
  'all barcodes': 'read barcodes in all pictures',
  apply: 'applied the plan',
  revert: 'reverted the plan',
  'read sheet': 'read the sheet',
  rehearse: 'checked the sheet',
  import: 'imported the sheet',
  'revert import': 'reverted the import',
  'pair by sheet': 'paired pictures by the sheet',
  'take back pairs of sheet': 'reverted the pairs of the sheet',
  dispatch: 'sent pictures',
  sweep: 'swept',
  purge: 'purged files',
};

/** What a line did. */
export function phrase(line: Recorded): string {
  if (line.action !== 'run.end') return phrases[line.action];
  const did = runs[text(line, 'kind')] ?? 'finished a run';
  const state = text(line, 'state');
  return state === 'done' ? did : `${did}, but ${state === 'stopped' ? 'was stopped' : 'failed'}`;
}

/** Where a person gets to what something was done to; nothing where it has no page. */
export function pageOf(kind: string, id: number): string | undefined {
  const pages: Record<string, string> = {
    lot: 'lots',
    plan: 'plans',
    product: 'products',
    category: 'categories',
    sheet: 'sheets',
    origin: 'origins',
    outlet: 'dispatch',
  };
  return pages[kind] ? `/${pages[kind]}/${id}` : undefined;
}
