import { Button, Group, Modal } from '@mantine/core';
import { useSyncExternalStore } from 'react';

/** A question of the page, and who waits for its answer. An answer is no state: it decides whether an action goes on. */
interface Open {
  readonly text: string;
  readonly answer: (yes: boolean) => void;
}
let open: readonly Open[] = [];
const watchers = new Set<() => void>();
const change = (next: readonly Open[]): void => {
  open = next;
  for (const watcher of watchers) watcher();
};

/** Asks the officer; the dialog answers. */
export const askOfficer = (text: string): Promise<boolean> =>
  new Promise((resolve) => change([...open, { text, answer: resolve }]));

const watch = (watcher: () => void): (() => void) => {
  watchers.add(watcher);
  return () => watchers.delete(watcher);
};

/** The dialog with the oldest question. */
export function Question() {
  const [question] = useSyncExternalStore(watch, () => open);
  const answer = (yes: boolean): void => {
    question.answer(yes);
    change(open.slice(1));
  };
  return (
    <Modal opened={question !== undefined} onClose={() => answer(false)} title={question?.text} centered size="sm">
      <Group justify="flex-end">
        <Button variant="default" onClick={() => answer(false)}>
          No
        </Button>
        <Button onClick={() => answer(true)} data-autofocus>
          Yes
        </Button>
      </Group>
    </Modal>
  );
}
