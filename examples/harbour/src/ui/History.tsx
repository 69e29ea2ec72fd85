import { Button, Group, Text } from '@mantine/core';
import { causeOf, titleOf, type Step, type Trace } from 'floe/trace';
import { useEffect, useRef, useSyncExternalStore } from 'react';
import { clockWithSeconds } from './times.js';

/** The strip under the page: every step, and the way back and forward through them. */
export function History({ trace }: { readonly trace: Trace }) {
  const watch = (listener: () => void): (() => void) => trace.watch(listener);
  const steps = useSyncExternalStore(watch, () => trace.steps);
  const cursor = useSyncExternalStore(watch, () => trace.cursor);
  const newest = steps.at(-1)?.seq ?? 0;
  const isLive = cursor === newest;
  const list = useRef<HTMLOListElement>(null);
  useEffect(() => {
    const shown = list.current?.querySelector<HTMLElement>('[aria-current]');
    shown?.scrollIntoView({ block: 'nearest', inline: 'center' });
  }, [cursor, steps.length]);
  return (
    <footer className={isLive ? 'history' : 'history history-past'} aria-label="History">
      <Group gap="xs" wrap="nowrap" className="history-controls">
        <Button.Group>
          <Button size="xs" variant="default" onClick={() => trace.back()}>
            Back
          </Button>
          <Button size="xs" variant="default" disabled={isLive} onClick={() => trace.forward()}>
            Forward
          </Button>
          <Button size="xs" variant={isLive ? 'default' : 'filled'} disabled={isLive} onClick={() => trace.live()}>
            Live
          </Button>
        </Button.Group>
        <Text size="sm" role="status" className="history-where">
          {isLive ? `Live, at step ${cursor}` : `The past: step ${cursor}, the newest is ${newest}`}
        </Text>
      </Group>
      <ol className="history-steps" ref={list}>
        {steps.map((step) => (
          <StepChip
            key={step.seq}
            step={step}
            state={step.seq === cursor ? 'shown' : step.seq > cursor ? 'ahead' : 'behind'}
            onClick={() => trace.seek(step.seq)}
          />
        ))}
      </ol>
    </footer>
  );
}

interface ChipProps {
  readonly step: Step;
  readonly state: 'shown' | 'ahead' | 'behind';
  readonly onClick: () => void;
}

function StepChip({ step, state, onClick }: ChipProps) {
  const { length } = step.changes;
  const cause = causeOf(step);
  return (
    <li>
      <button
        type="button"
        className={`step step-${state}`}
        aria-current={state === 'shown' ? 'step' : undefined}
        onClick={onClick}
      >
        <span className="step-what">
          <small>{step.seq}</small> {titleOf(step)}
        </span>
        <small>
          {clockWithSeconds(step.time)} · {cause && `${cause} · `}
          {length === 0 ? step.outcome : length === 1 ? '1 change' : `${length} changes`}
        </small>
      </button>
    </li>
  );
}
