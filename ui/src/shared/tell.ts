import { notifications } from '@mantine/notifications';

/** Says something that happened, where it does not interrupt. */
export function tell(title: string, message: string, bad = false) {
  notifications.show({ title, message, color: bad ? 'red' : 'dark', withBorder: true });
}
