import { registryOf } from './registries';

const merged = (path: string, ...parts: readonly (string | Buffer)[]): string | undefined =>
  registryOf(path)
    ?.merge(parts.map((part) => Buffer.from(part)))
    ?.toString('latin1');

const moved = (path: string, content: string | Buffer): string | undefined =>
  registryOf(path)
    ?.move(Buffer.from(content), (name) => name.replace(/^tide\./, 'own.tide.'))
    .toString('latin1');

/** As `DataOutputStream` writes them: category, plug-ins by key. */
function plugins(category: string, all: Readonly<Record<string, string>>): Buffer {
  const text = (value: string): Buffer => Buffer.concat([Buffer.from([0, value.length]), Buffer.from(value)]);
  const number = (value: number): Buffer => Buffer.from([0, 0, 0, value]);
  const each = Object.entries(all).map(([key, name]) =>
    Buffer.concat([text(key), text(name), text(key.toUpperCase()), Buffer.from([0, 1])]),
  );
  return Buffer.concat([number(1), text(category), number(each.length), ...each]);
}

const LOG = 'META-INF/org/apache/logging/log4j/core/config/plugins/Log4j2Plugins.dat';

describe('registries of frameworks', () => {
  it('become one by their format', () => {
    expect(merged('META-INF/spring.handlers', 'http\\://a.example/x=a.A\n', '# b\nhttp\\://b.example/y : b.B')).toBe(
      'http\\://a.example/x=a.A\nhttp\\://b.example/y=b.B\n',
    );
    expect(merged('META-INF/spring.factories', 'k.K=a.A,\\\n  b.B\n', 'k.K=b.B,c.C\nk.L=d.D\n')).toBe(
      'k.K=\\\n  a.A,\\\n  b.B,\\\n  c.C\nk.L=\\\n  d.D\n',
    );
    expect(merged('META-INF/spring/k.K.imports', 'a.A\n# no\n', 'b.B\na.A\n')).toBe('a.A\nb.B\n');
    expect(merged('reference.conf', 'a = 1', 'b = 2\n')).toBe('a = 1\nb = 2\n');
    const [one, two] = [plugins('core', { a: 'tide.A', b: 'tide.B' }), plugins('core', { b: 'other.B', c: 'tide.C' })];
    expect(merged(LOG, one, two)).toBe(plugins('core', { b: 'tide.B', c: 'tide.C', a: 'tide.A' }).toString('latin1'));
    expect(registryOf('META-INF/other.list')).toBeUndefined();
  });

  it('are left as they are where they contradict each other', () => {
    expect(merged('META-INF/spring.schemas', 'a=1\n', 'a=2\n')).toBeUndefined();
  });

  it('name classes where these have moved to', () => {
    expect(moved('META-INF/spring.factories', 'k.K=tide.A,b.B\n')).toBe('k.K=own.tide.A,b.B\n');
    expect(moved(LOG, plugins('core', { a: 'tide.A' }))).toBe(plugins('core', { a: 'own.tide.A' }).toString('latin1'));
  });

  it('that are cut off are left as they are', () => {
    const cut = plugins('core', { a: 'tide.A' }).subarray(0, 12);
    expect(merged(LOG, cut, plugins('core', {}))).toBeUndefined();
    expect(moved(LOG, cut)).toBe(cut.toString('latin1'));
  });
});
