import { Button } from '@mantine/core';
import { notifications } from '@mantine/notifications';

/** Says something that happened, where it does not interrupt. */
export function tell(title: string, message: string, bad = false) {
  notifications.show({ title, message, color: bad ? 'red' : 'dark', withBorder: true });
}

/** How long the way back is offered, milliseconds. */
const offered = 20_000;

/** Says what was done, with the way back at hand. */
export function tellWithUndo(done: string, undo: () => void) {
  let used = false; // a message on its way out can still be pressed
  const id = notifications.show({
    autoClose: offered,
    withBorder: true,
    color: 'dark',
    message: (
      <span className="spread">
        {done}
        <Button
          className="push"
          size="compact-xs"
          onClick={() => {
            notifications.hide(id);
            if (!used) undo();
            used = true;
          }}
        >
          Undo
        </Button>
      </span>
    ),
  });
}
