import { setTimeout as sleep } from 'node:timers/promises';
import { severalAtOnce, summed } from './several';

describe('several at once', () => {
  it('begins in order, and never more than it may', async () => {
    const begun: number[] = [];
    let now = 0;
    let most = 0;
    await severalAtOnce([1, 2, 3, 4, 5, 6, 7], 3, async (one) => {
      begun.push(one);
      most = Math.max(most, ++now);
      await sleep(8 - one);
      now -= 1;
    });
    expect([begun, most, now]).toEqual([[1, 2, 3, 4, 5, 6, 7], 3, 0]);
    await severalAtOnce([], 3, () => Promise.reject(new Error('never')));
  });

  it('begins nothing more after a failure, and waits for what is under way', async () => {
    const ended: number[] = [];
    const work = async (one: number): Promise<void> => {
      await sleep(one * 5);
      if (one === 1) throw new Error('first');
      ended.push(one);
    };
    await expect(severalAtOnce([1, 2, 3, 4, 5], 3, work)).rejects.toThrow('first');
    expect(ended).toEqual([2, 3]);
  });

  it('tells how far all are together', () => {
    const result: number[] = [];
    const tell = summed((sum) => result.push(sum));
    tell('a', 5);
    tell('b', 2);
    tell('a', 7);
    expect(result).toEqual([5, 7, 9]);
  });
});
