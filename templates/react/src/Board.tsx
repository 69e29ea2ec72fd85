import { useState } from 'react';
import { useAction, useSelection } from 'floe/react';
import { expected, visitCancelled, visitPlanned, visits } from './model/index.js';

export function Board() {
  const { list } = useSelection(visits);
  const count = useSelection(expected);
  const plan = useAction(visitPlanned);
  const cancel = useAction(visitCancelled);
  const [vessel, setVessel] = useState('');
  return (
    <main>
      <h1>Expected today: {count}</h1>
      <form
        onSubmit={(event) => {
          event.preventDefault();
          plan(vessel);
          setVessel('');
        }}
      >
        <input
          required
          placeholder="Vessel"
          aria-label="Vessel"
          value={vessel}
          onChange={(event) => setVessel(event.target.value)}
        />
        <button>Plan a visit</button>
      </form>
      <ul>
        {list.map((one) => (
          <li key={one}>
            {one} <button onClick={() => cancel(one)}>Cancel</button>
          </li>
        ))}
      </ul>
    </main>
  );
}
