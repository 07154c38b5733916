import { compareSemver, isSemver } from '../base/semver-order';
import { firstFixed, isAffected, modulesOf, osvRecord, RangeFault, severityOf, type OsvAffected } from './osv';

const semantic = { compare: compareSemver, isVersion: isSemver };
const orders = { ecosystem: semantic, semantic };
const affected = (events: object[], more: object = {}): OsvAffected =>
  osvRecord.parse({ id: 'FHV-1', affected: [{ ranges: [{ type: 'SEMVER', events }], ...more }] }).affected?.[0] ?? {};

describe('records of known faults', () => {
  it.each([
    [
      [{ introduced: '0' }, { fixed: '1.4.0' }],
      { '0.1.0': true, '1.3.9': true, '1.4.0': false, '2.0.0': false, '1.4.0-rc.1': true },
    ],
    [
      [{ introduced: '1.0.0' }, { last_affected: '1.2.0' }],
      { '0.9.0': false, '1.0.0': true, '1.2.0': true, '1.2.1': false },
    ],
    [[{ introduced: '0' }], { '9.0.0': true }],
    [
      [{ fixed: '2.0.1' }, { introduced: '1.0.0' }, { introduced: '2.0.0' }, { fixed: '1.5.0' }],
      { '0.5.0': false, '1.2.0': true, '1.5.0': false, '2.0.0': true, '2.0.1': false },
    ],
    [[{ introduced: '0' }, { limit: '2.0.0' }], { '1.0.0': true, '2.0.0': false }],
  ])('%j say of versions what the schema says', (events, versions) => {
    for (const [version, expected] of Object.entries(versions))
      expect([version, isAffected(version, affected(events), orders)]).toEqual([version, expected]);
  });

  it('may list versions, and ranges of other kinds say nothing', () => {
    const git = [{ type: 'GIT', events: [{ introduced: 'abc' }] }];
    const one = osvRecord.parse({ id: 'F', affected: [{ versions: ['1.0.0'], ranges: git }] }).affected?.[0] ?? {};
    expect([isAffected('1.0.0', one, orders), isAffected('1.0.1', one, orders)]).toEqual([true, false]);
  });

  it.each([
    [[{ fixed: '1.0.0' }], 'begins'],
    [[{ introduced: 'high tide' }], 'high tide'],
    [[{ introduced: '0' }, { fixed: 'soon' }], 'soon'],
  ])('with the nonsense %j are refused', (events, word) => {
    expect(() => isAffected('1.0.0', affected(events), orders)).toThrow(RangeFault);
    expect(() => isAffected('1.0.0', affected(events), orders)).toThrow(word);
  });

  it.each([
    { id: '' },
    { id: 'F', affected: [{ ranges: [{ type: 'SEMVER', events: [{ introduced: '0', fixed: '1' }] }] }] },
    { id: 'F', affected: [{ ranges: [{ type: 'TIDES', events: [{ introduced: '0' }] }] }] },
    { id: 'F', affected: 'all' },
  ])('of another form are none: %j', (record) => {
    expect(osvRecord.safeParse(record).success).toBe(false);
  });

  it('name the first version without the fault, its modules and how bad it is', () => {
    const one = affected([{ introduced: '1.0.0' }, { fixed: '1.4.2' }, { introduced: '2.0.0' }, { fixed: '2.1.0' }], {
      ecosystem_specific: { imports: [{ path: 'tides/read' }], affects: { functions: ['tides::read::line'] } },
    });
    expect([
      firstFixed('1.2.0', one, orders),
      firstFixed('2.0.5', one, orders),
      firstFixed('2.1.0', one, orders),
    ]).toEqual([...['1.4.2', '2.1.0', undefined]]);
    expect(modulesOf(one)).toEqual(['tides/read', 'tides::read::line']);
    const record = osvRecord.parse({ id: 'F', severity: [{ type: 'CVSS_V3', score: 'CVSS:3.1/AV:N' }] });
    expect(severityOf(record, one)).toBe('CVSS:3.1/AV:N');
    expect(severityOf({ ...record, database_specific: { severity: 'MODERATE' } }, one)).toBe('moderate');
  });
});
