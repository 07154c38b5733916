import { ask, NetworkFault, withRetries } from './attempts';
import type { Network, NetworkResponse } from './network';

function networkOf(request: Network['request']): { readonly network: Network; readonly pauses: number[] } {
  const pauses: number[] = [];
  const sleep = (ms: number): Promise<void> => (pauses.push(ms), Promise.resolve());
  return { network: { request, sleep, now: () => 0 }, pauses };
}

const answer = (body: AsyncIterable<Uint8Array>): NetworkResponse => ({ status: 200, headers: {}, body });
const onGivenUp = (fault: NetworkFault, attempts: number): Error => new Error(`${fault.message} ${String(attempts)}`);

describe('asking again', () => {
  it('is for what the network failed at', async () => {
    const { network, pauses } = networkOf(() => Promise.reject(new Error('cut off')));
    const asked = withRetries({ network, attempts: 3, onGivenUp }, () => ask(network, { url: 'x', headers: {} }));
    await expect(asked).rejects.toThrow('cut off 3');
    expect(pauses).toEqual([250, 500]);
  });

  it('is for a body that drips, once', async () => {
    let time = 0;
    // eslint-disable-next-line @typescript-eslint/require-await
    const drops = async function* () {
      for (;;) {
        time += 10_000;
        yield new Uint8Array(1);
      }
    };
    let asked = 0;
    const request = (): Promise<NetworkResponse> => ((asked += 1), Promise.resolve(answer(drops())));
    const network = { ...networkOf(request).network, now: () => time };
    const reading = withRetries({ network, attempts: 4, onGivenUp }, async () => {
      const { body } = await ask(network, { url: 'x', headers: {} });
      for await (const _piece of body);
    });
    await expect(reading).rejects.toThrow('the server sent 4 bytes in half a minute 2');
    expect(asked).toBe(2);
  });

  it('is not for what we did wrong: with what came, or with what was to be sent', async () => {
    // eslint-disable-next-line @typescript-eslint/require-await
    const piece = async function* () {
      yield new Uint8Array(1);
    };
    const wrong = new TypeError('a fault of ours');
    const taking = networkOf(() => Promise.resolve(answer(piece())));
    const take = withRetries({ network: taking.network, attempts: 3, onGivenUp }, async () => {
      const { body } = await ask(taking.network, { url: 'x', headers: {} });
      for await (const _piece of body) throw wrong;
    });
    await expect(take).rejects.toBe(wrong);
    const sending = networkOf(({ body }) => {
      for (const _piece of body?.pieces() ?? []);
      return Promise.resolve(answer(piece()));
    });
    const pieces = (): Iterable<Uint8Array> => {
      throw wrong;
    };
    const send = withRetries({ network: sending.network, attempts: 3, onGivenUp }, () =>
      ask(sending.network, { url: 'x', headers: {}, body: { size: 1, pieces } }),
    );
    await expect(send).rejects.toBe(wrong);
    expect([taking.pauses, sending.pauses]).toEqual([[], []]);
  });

  it('is for a connection that breaks while something is sent', async () => {
    // As streams do it: what broke the connection is thrown into whoever gives the pieces.
    const { network } = networkOf(({ body }) => {
      const pieces = body?.pieces()[Symbol.iterator]();
      pieces?.next();
      pieces?.throw?.(new Error('reset'));
      return Promise.reject(new Error('not reached'));
    });
    const body = {
      size: 2,
      *pieces() {
        yield new Uint8Array(1);
        yield new Uint8Array(1);
      },
    };
    const sent = withRetries({ network, attempts: 2, onGivenUp }, () => ask(network, { url: 'x', headers: {}, body }));
    await expect(sent).rejects.toThrow('reset 2');
  });

  it('is for answers that break off', async () => {
    // eslint-disable-next-line @typescript-eslint/require-await
    const broken = async function* (): AsyncGenerator<Uint8Array> {
      yield new Uint8Array(1);
      throw new Error('reset');
    };
    const { network, pauses } = networkOf(() => Promise.resolve(answer(broken())));
    const asked = withRetries({ network, attempts: 2, onGivenUp }, async () => {
      const { body } = await ask(network, { url: 'x', headers: {} });
      for await (const _piece of body);
    });
    await expect(asked).rejects.toThrow('reset 2');
    expect(pauses).toEqual([250]);
  });
});
