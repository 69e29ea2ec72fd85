import { Group, Paper, Skeleton, Text, Title } from '@mantine/core';
import { useAction, useSelection } from 'floe/react';
import { address, berthBoard, freeBerths, loading, pickedVisit, visitAt, type BerthRow } from '../model/index.js';
import { clock } from './times.js';

/** Who lies where. It shows the same picked visit as the list, and picks one too. */
export function BerthPanel() {
  const board = useSelection(berthBoard);
  const free = useSelection(freeBerths);
  const waiting = useSelection(loading) !== 'done' || board.length === 0;
  return (
    <Paper component="section" withBorder className="panel panel-berths" aria-label="Berths">
      <Group justify="space-between" className="panel-head">
        <Title order={2} size="h5">
          Berths
        </Title>
        <Text size="sm" c="dimmed">
          {waiting ? 'asking the office …' : `${free.length} of ${board.length} free`}
        </Text>
      </Group>
      <div className="berths">
        {waiting
          ? Array.from({ length: 10 }, (_, i) => <Skeleton key={i} height={52} />)
          : board.map((row) => <BerthCard key={row.berth.id} row={row} />)}
      </div>
    </Paper>
  );
}

function BerthCard({ row: { berth, alongside, next } }: { readonly row: BerthRow }) {
  const picked = useSelection(pickedVisit);
  const go = useAction(address.went);
  const visit = alongside ?? next;
  // A visit that is over lies nowhere any more.
  const isDue = picked?.phase === 'alongside' || picked?.phase === 'expected';
  const isPicked = isDue && picked.place.id === berth.id;
  const names = ['berth', alongside ? 'berth-taken' : 'berth-free', isPicked ? 'berth-picked' : ''];
  return (
    <button
      type="button"
      className={names.join(' ')}
      aria-pressed={isPicked}
      disabled={!visit}
      onClick={() => visit && go(visitAt(visit.id))}
      title={`${berth.quay}, ${berth.length} m long, ${berth.depth} m deep`}
    >
      <span className="berth-id">{berth.id}</span>
      <span className="berth-who">
        {alongside ? alongside.vessel.name : 'free'}
        <small>
          {alongside
            ? `until ${clock(alongside.departs)}`
            : next
              ? `${clock(next.arrives)} ${next.vessel.name}`
              : 'no visit expected'}
        </small>
      </span>
    </button>
  );
}
