// Where one can go follows from the declared paths.
import { createRuntime } from 'floe';
import { injectAction } from 'floe/angular';
import { useAction } from 'floe/react';
import { location, oneOf, text, whole } from 'floe/location';

const address = location('address', {
  paths: { board: '/', visit: '/visits/:id', service: '/visits/:id/services/:number' },
  query: { day: text, filter: oneOf('all', 'expected') },
  params: { number: whole },
});
const runtime = createRuntime({ stores: [address] });
runtime.dispatch(address.went({ at: 'board' }));
runtime.dispatch(address.went({ at: 'board', query: { filter: 'all' }, replace: true }));
runtime.dispatch(address.went({ at: 'service', params: { id: 'v7', number: 3 } }));
const place = runtime.read(address);
if (place.at === 'service') {
  const number: number = place.params.number;
  const filter: 'all' | 'expected' | undefined = place.query.filter;
  void [number, filter];
}
const type: 'address.went' = address.went.type;
void type;

// @ts-expect-error there is no such path
runtime.dispatch(address.went({ at: 'harbour' }));
// @ts-expect-error the visit is missing
runtime.dispatch(address.went({ at: 'visit' }));
// @ts-expect-error the number of a service is a number
runtime.dispatch(address.went({ at: 'service', params: { id: 'v7', number: '3' } }));
// @ts-expect-error the board has no parameters
runtime.dispatch(address.went({ at: 'board', params: { id: 'v7' } }));
// @ts-expect-error the filter is one of two words
runtime.dispatch(address.went({ at: 'board', query: { filter: 'departed' } }));

// a component changes the query as it dispatches any action
export function Filter(): void {
  const change = useAction(address.queryChanged);
  change({ filter: 'expected' }, { replace: true });
  injectAction(address.queryChanged)({ day: undefined });
  // @ts-expect-error the filter is one of two words
  change({ filter: 'departed' });
}
