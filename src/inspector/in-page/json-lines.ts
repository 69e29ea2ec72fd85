// A response that stays open and carries JSON Lines: a message a line, and an empty one now and then as a sign of life.

/**
 * Calls `hear` with each line of a response, parsed.
 * @param alive called with each part that arrives, also with empty lines
 * @returns when the response ends; rejects where the connection breaks
 */
export async function eachLine(
  response: Pick<Response, 'body'>,
  hear: (message: unknown) => void,
  alive: () => void = () => undefined,
): Promise<void> {
  const reader = response.body!.pipeThrough(new TextDecoderStream()).getReader();
  let rest = '';
  for (;;) {
    const { done, value } = await reader.read();
    if (done) return;
    alive();
    const lines = (rest + value).split('\n');
    rest = lines.pop()!;
    for (const line of lines) if (line.trim() !== '') hear(JSON.parse(line));
  }
}
