// A channel to the serving command: requests by POST, notifications as JSON Lines on a response that stays open.
import type { Channel, LinkMessage } from '../protocol/protocol.js';

/**
 * @param token what the command printed; it goes with each request
 * @param ended called once, with a sentence, when the command can no longer be reached
 */
export function httpChannel(address: string, token: string, ended: (why: string) => void): Channel {
  const listeners = new Set<(message: LinkMessage) => void>();
  const headers = { authorization: `Bearer ${token}`, 'content-type': 'application/json' };
  const hear = (text: string): void => {
    const message = JSON.parse(text) as LinkMessage;
    for (const listener of listeners) listener(message);
  };
  let isOver = false;
  const end = (why: string): void => {
    if (isOver) return;
    isOver = true;
    ended(why);
  };
  void (async () => {
    try {
      const response = await fetch(`${address}/messages`, { headers });
      if (!response.ok || !response.body) throw new Error(`status ${response.status}`);
      const reader = response.body.pipeThrough(new TextDecoderStream()).getReader();
      let rest = '';
      for (;;) {
        const { done, value } = await reader.read();
        if (done) break;
        const lines = (rest + value).split('\n');
        rest = lines.pop()!;
        for (const line of lines) if (line.trim() !== '') hear(line);
      }
      end('The command that served this session has ended.');
    } catch (error) {
      end(`The command that serves this session cannot be reached: ${(error as Error).message}.`);
    }
  })();
  return {
    send(message) {
      fetch(`${address}/messages`, { method: 'POST', headers, body: JSON.stringify(message) }).then(
        async (response) => {
          if (response.ok) return hear(await response.text());
          end(`The command that serves this session refused a request: status ${response.status}.`);
        },
        (error: unknown) => end(`The command that serves this session cannot be reached: ${(error as Error).message}.`),
      );
    },
    listen(listener) {
      listeners.add(listener);
      return () => void listeners.delete(listener);
    },
  };
}
