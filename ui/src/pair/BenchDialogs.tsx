import { memo, type ReactNode } from 'react';
import { type FileDetail, type Lot } from '../client';
import { baseName } from '../shared/format';
import { Enlarged } from '../shared/Picture';
import { ViewDialog } from '../shared/ViewDialog';
import { SaveForLater } from '../shelf/SaveForLater';
import { type Choice } from './choices';
import { Clues } from './Clues';
import { PlaceDialog, ProductDialog, ReasonDialog } from './dialogs';

/** What can be open on the bench; empty for nothing. */
export type Open = 'product' | 'also' | 'place' | 'view' | 'reason' | 'later' | 'large' | 'clues' | '';

/** The dialogs of the bench. possible: a place and a view can be given. */
export function BenchDialogs({
  open,
  close,
  lot,
  file,
  several,
  chosen,
  onSaved,
  possible,
  onPick,
  onAlso,
  onPlace,
  onView,
  onReason,
}: {
  open: Open;
  close: () => void;
  lot: Lot;
  file: FileDetail;
  several: number;
  /** Numbers of the files that something is done to. */
  chosen: number[];
  onSaved: () => void;
  possible: boolean;
  onPick: (choice: Choice) => void;
  /** The file shows a further product. */
  onAlso: (choice: Choice) => void;
  onPlace: (place: number) => void;
  onView: (view: string) => void;
  onReason: (reason: string) => void;
}) {
  return (
    <>
      <Still while={open !== 'product'}>
        <ProductDialog
          open={open === 'product'}
          several={several}
          onClose={close}
          onPick={(c) => {
            close();
            onPick(c);
          }}
        />
      </Still>
      <Still while={open !== 'also'}>
        <ProductDialog
          open={open === 'also'}
          several={0}
          title="Which other product does it show?"
          onClose={close}
          onPick={(c) => {
            close();
            onAlso(c);
          }}
        />
      </Still>
      <Still while={open !== 'place'}>
        <PlaceDialog
          open={open === 'place'}
          several={several}
          file={file}
          possible={possible}
          onClose={close}
          onPlace={(place) => {
            close();
            onPlace(place);
          }}
        />
      </Still>
      <Still while={open !== 'view'}>
        <ViewDialog
          open={open === 'view'}
          view={several > 0 ? undefined : file.view}
          {...(!possible && { refusal: 'Pair the file first. Then it can have a view.' })}
          onClose={close}
          onView={(view) => {
            close();
            onView(view);
          }}
        />
      </Still>
      <Still while={open !== 'reason'}>
        <ReasonDialog
          open={open === 'reason'}
          several={several}
          onClose={close}
          onReason={(reason) => {
            close();
            onReason(reason);
          }}
        />
      </Still>
      {open === 'later' && <SaveForLater files={chosen} onClose={close} onDone={onSaved} />}
      <Still while={open !== 'clues'}>
        <Clues open={open === 'clues'} onClose={close} lot={lot} path={file.path} />
      </Still>
      <Still while={open !== 'large'}>
        <Enlarged sum={open === 'large' ? file.sum : ''} title={baseName(file.path)} onClose={close} />
      </Still>
    </>
  );
}

/** What is closed before and after is not rendered with each file. */
const Still = memo(
  function Still({ children }: { while: boolean; children: ReactNode }) {
    return children;
  },
  (was, now) => was.while && now.while,
);
