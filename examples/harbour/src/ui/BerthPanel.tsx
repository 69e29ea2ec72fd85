import { Group, Paper, Skeleton, Text, Title } from '@mantine/core';
import { useAction, useSelection } from 'floe/react';
import {
  address,
  berthBoard,
  DAY,
  freeBerths,
  loading,
  pickedId,
  pickedVisit,
  staysAt,
  visitAt,
  type BerthRow,
  type Stay,
} from '../model/index.js';
import { clock, clockOf } from './times.js';

/** Who lies where, now and over the day. It shows the same picked visit as the list, and picks one too. */
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
          ? Array.from({ length: 10 }, (_, i) => <Skeleton key={i} height={26} />)
          : board.map((row) => (
              <div key={row.berth.id} className="berth-line">
                <BerthCard row={row} />
                <Lane berth={row.berth.id} />
              </div>
            ))}
        <div className="lane-foot" aria-hidden="true">
          <span className="lane-key">
            {(['departed', 'alongside', 'expected'] as const).map((phase) => (
              <span key={phase}>
                <i className={`bar bar-${phase}`} /> {phase}
              </span>
            ))}
          </span>
          <span className="lane-hours">
            {[0, 6, 12, 18, 24].map((hour) => (
              <span key={hour} style={{ insetInlineStart: `${(hour / 24) * 100}%` }}>
                {String(hour).padStart(2, '0')}
              </span>
            ))}
          </span>
        </div>
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
        {alongside ? alongside.vessel.name : 'free'}{' '}
        <small>
          {alongside ? `until ${clock(alongside.departs)}` : next ? `until ${clock(next.arrives)}` : 'all day'}
        </small>
      </span>
    </button>
  );
}

/** The day at one berth, drawn. The list and the buttons beside it say the same to those who do not see it. */
function Lane({ berth }: { readonly berth: string }) {
  const stays = useSelection(staysAt(berth));
  return (
    <div className="lane" role="img" aria-label={`${berth}: ${stays.map(inWords).join('; ') || 'free all day'}`}>
      {stays.map((stay) => (
        <Bar key={stay.id} stay={stay} />
      ))}
    </div>
  );
}

const inWords = ({ vessel, from, to, clashes }: Stay): string =>
  `${vessel}, ${clockOf(from)} to ${clockOf(to)}${clashes ? ', clashes' : ''}`;

function Bar({ stay }: { readonly stay: Stay }) {
  const picked = useSelection(pickedId) === stay.id;
  const go = useAction(address.went);
  const at = (minute: number): string => `${(minute / DAY) * 100}%`;
  return (
    <span
      className={['bar', `bar-${stay.phase}`, stay.clashes ? 'bar-clashes' : '', picked ? 'bar-picked' : ''].join(' ')}
      style={{ insetInlineStart: at(stay.from), width: at(stay.to - stay.from) }}
      title={`${inWords(stay)} · ${stay.phase}`}
      onClick={() => go(visitAt(stay.id))}
    />
  );
}
