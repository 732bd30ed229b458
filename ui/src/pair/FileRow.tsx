import { memo, type MouseEvent } from 'react';
import type { File as LotFile } from '../client';
import { baseName } from '../shared/format';
import { Picture } from '../shared/Picture';

/** Pixels, as the theme has it. */
export const rowHeight = 46;

/** What a press on a file of the column does. */
export type Pressed = (file: LotFile, index: number, event: MouseEvent) => void;

/** A file of the column; it is not rendered anew when the mark moves elsewhere. */
export const FileRow = memo(function FileRow({
  file,
  index,
  on,
  chosen,
  press,
  choose,
}: {
  file: LotFile | undefined;
  index: number;
  on: boolean;
  chosen: boolean;
  press: Pressed;
  choose: Pressed;
}) {
  if (!file) return <div className="filerow" aria-hidden />; // on its way
  return (
    <div className={`filerow${on ? ' on' : ''}`}>
      <button onClick={(e) => press(file, index, e)} aria-current={on} title={file.path}>
        <Picture sum={file.sum} none="" />
        <span className="narrow">
          <span className="mono clip block">{baseName(file.path)}</span>
          <span className="why clip block">
            {file.code ? (
              <>
                {file.code}
                {file.place > 0 && `, place ${file.place}`}
                {file.view && `, ${file.view}`}
              </>
            ) : (
              file.reason
            )}
          </span>
        </span>
      </button>
      <input
        type="checkbox"
        tabIndex={-1}
        aria-label={`Choose ${baseName(file.path)}`}
        checked={chosen}
        onClick={(e) => choose(file, index, e)}
        readOnly
      />
    </div>
  );
});
