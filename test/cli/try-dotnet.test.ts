/** Functions for .NET are called: what they take and give back, in Mono and in the runtime. */
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { compiled, configText, dotnetProject, itWithDotnet, itWithMono, TARIFF, WITH_DOTNET } from '../support/dotnet';
import { run } from '../support/program';

const EVERYTHING = `using System; using System.Collections.Generic; using System.IO; using System.Threading.Tasks;
namespace Tide {
  public enum Kind { Ebb, Flood }
  public class Gauge { public string Name { get; set; } public Kind Kind { get; set; } public double? Level; public DateTime At { get; set; } public int[] Steps { get; set; } public Dictionary<string, long> Counts { get; set; } }
  public class Envelope { public Gauge Data { get; set; } }
  public struct Pair { public int A { get; set; } public string B; }
  public class All {
    public static object Typed(Envelope one) { var g = one.Data; return new { g.Name, Kind = g.Kind.ToString(), g.Level, Year = g.At.Year, Steps = g.Steps.Length, Tens = g.Counts["tens"] }; }
    public static string Text(string one) { return one.Length > 10 ? "long" : "short"; }
    public static Stream Streams(Stream one) { return one; }
    public static byte[] Bytes(byte[] one) { return one; }
    public static async Task Nothing(object one) { await Task.Delay(1); }
    public static async Task<Pair> Later(IDictionary<string, object> one, IDictionary<string, object> context) { await Task.Delay(1); ((Action<object>)context["log"])("logged"); return new Pair { A = context.Count, B = (string)one["id"] }; }
    public static object Odd(object one) { return double.NaN; }
    public static object Throws(object one) { throw new InvalidOperationException("high \\u00fcber all", new Exception("inner")); }
    public static object Gone(object one) { return Inner(); }
    static object Inner() { return new Fernhaven.Tariff("x"); }
  }
}`;

interface Tried {
  readonly calls: readonly {
    readonly answer: {
      readonly json?: string;
      readonly failure?: { readonly fault?: string; readonly message?: string; readonly missing?: string };
    };
    readonly log: { readonly lines: readonly string[] };
  }[];
}

const GAUGE_EVENT = {
  specversion: '1.0',
  id: 'x1',
  source: '/t',
  type: 't',
  datacontenttype: 'application/json',
  data: {
    name: 'Old Pier',
    kind: 'flood',
    level: 4.25,
    at: '2026-11-29T12:00:00Z',
    steps: [1, 2],
    counts: { tens: 10 },
  },
};

describe.each([
  ['Mono', itWithMono, { PATH: '/usr/bin:/bin' }],
  ['the runtime', itWithDotnet, WITH_DOTNET],
] as const)('called in %s', (_name, itWith, env) => {
  itWith('it takes what types say, and gives back what they have', () => {
    const beside = dotnetProject({ 'Fernhaven.Tariff.dll': TARIFF });
    const files = {
      'Dues.dll': compiled('Dues.dll', EVERYTHING, [`-r:${join(beside, 'f/Fernhaven.Tariff.dll')}`]),
      'Dues.runtimeconfig.json': configText('3.1.0'),
      'rates.txt': 'x',
    };
    const root = dotnetProject(files, { runtime: 'dotnet 3', settings: {}, events: ['gauge.json'] });
    writeFileSync(join(root, 'gauge.json'), JSON.stringify(GAUGE_EVENT));
    const sheet = readFileSync(join(root, 'emballage.yaml'), 'utf8');
    const called = (member: string): Tried['calls'][number] | undefined => {
      writeFileSync(join(root, 'emballage.yaml'), sheet.replace('Fernhaven.Dues.Export.Run', `Tide.All.${member}`));
      expect(run(root, ['build'], { env }).status).toBe(0);
      return (JSON.parse(run(root, ['try', '--json'], { env }).stdout) as Tried).calls[0];
    };
    const answer = (member: string): unknown => JSON.parse(called(member)?.answer.json ?? '"none"');
    const typed = { Name: 'Old Pier', Kind: 'Flood', Level: 4.25, Year: 2026, Steps: 2, Tens: 10 };
    expect(answer('Typed')).toEqual(typed);
    expect([answer('Text'), answer('Streams'), answer('Bytes')]).toEqual(['long', GAUGE_EVENT, GAUGE_EVENT]);
    expect(answer('Nothing')).toBe(null);
    expect(called('Later')).toMatchObject({ answer: { json: '{"A":5,"B":"x1"}' }, log: { lines: ['logged'] } });
    const failures = ['Odd', 'Throws', 'Gone'].map((member) => called(member)?.answer.failure);
    expect(failures).toMatchObject([
      { fault: 'JSON has no number NaN' },
      { message: 'high über all' },
      { missing: 'Fernhaven.Tariff' },
    ]);
    // Where the framework is brought along, the one that is here stands in for it.
    const brought = { includedFrameworks: [{ name: 'Microsoft.NETCore.App', version: '3.1.0' }], framework: undefined };
    writeFileSync(join(root, 'f/Dues.runtimeconfig.json'), configText('3.1.0', brought));
    expect(answer('Text')).toBe('long');
  });
});
