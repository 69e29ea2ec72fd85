import { useState } from 'react';
import { useAction, useSelection, useTask } from 'floe/react';
import { address, expected, lookedFor, planVisit, refusal, shown, visitCancelled } from './model';

export function Board() {
  const count = useSelection(expected);
  const list = useSelection(shown);
  const find = useSelection(lookedFor);
  const refused = useSelection(refusal);
  const plan = useTask(planVisit);
  const cancel = useAction(visitCancelled);
  const lookFor = useAction(address.queryChanged);
  const [vessel, setVessel] = useState('');
  return (
    <main>
      <h1>Expected today: {count}</h1>
      <form
        onSubmit={(event) => {
          event.preventDefault();
          void plan(vessel);
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
      <p role="alert">{refused}</p>
      <label>
        Find{' '}
        <input
          type="search"
          value={find}
          onChange={(event) => lookFor({ find: event.target.value || undefined }, { replace: true })}
        />
      </label>
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
