// What stood at a redacted place leaves the runtime nowhere.
import { text } from '../model/plain.js';
import { Fault } from '../planned.js';
import type { Session } from '../session.js';

const SECRET = /.{0,80}secret-of-\w+/s;

export function checkSecrets({ trace, lines, blueprint, floe }: Session): void {
  if (!blueprint.redacts || !trace) return;
  const file = trace.export();
  const texts = [file, lines.join('\n'), text(trace.steps)];
  try {
    texts.push(floe.writeTest(file, { model: './model.js' }));
  } catch {
    // Nothing of it can be a test.
  }
  for (const one of texts) {
    const found = SECRET.exec(one);
    if (found) throw new Fault('secrets', `${found[0]} is in what was recorded`);
  }
}
