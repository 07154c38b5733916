/** The assemblies that frameworks bring, by their names. */
import { existsSync, readdirSync } from 'node:fs';
import { join } from 'node:path';
import type { Machine } from '../../../toolchains/machine';
import type { RuntimeConfig } from '../published/runtime-config';
import { CORE } from '../published/runtime-config';
import { chooseRuntime, runtimesOf } from '../run/runtimes';

/** Names that the framework has taken, without an end in sight; a package may have others that begin so. */
const PLATFORM =
  /^(?:mscorlib|netstandard|WindowsBase|System|System\.Private\.\w+(?:\.\w+)*|Microsoft\.CSharp|Microsoft\.VisualBasic(?:\.Core)?|Microsoft\.Win32\.(?:Primitives|Registry))$/i;
/** First parts of the names of assemblies in the framework behind `System.`. */
const SYSTEM =
  /^System\.(?:AppContext|Buffers|Collections(?:\.(?:Concurrent|Immutable|NonGeneric|Specialized))?|ComponentModel(?:\.(?:Annotations|DataAnnotations|EventBasedAsync|Primitives|TypeConverter))?|Configuration|Console|Core|Data(?:\.(?:Common|DataSetExtensions))?|Diagnostics\.(?:Contracts|Debug|DiagnosticSource|FileVersionInfo|Process|StackTrace|TextWriterTraceListener|Tools|TraceSource|Tracing)|Drawing(?:\.Primitives)?|Dynamic\.Runtime|Formats\.(?:Asn1|Tar)|Globalization(?:\.(?:Calendars|Extensions))?|IO(?:\.(?:Compression(?:\.(?:Brotli|FileSystem|ZipFile))?|FileSystem(?:\.(?:AccessControl|DriveInfo|Primitives|Watcher))?|IsolatedStorage|MemoryMappedFiles|Pipelines|Pipes(?:\.AccessControl)?|UnmanagedMemoryStream))?|Linq(?:\.(?:AsyncEnumerable|Expressions|Parallel|Queryable))?|Memory|Net(?:\.(?:Http(?:\.Json)?|HttpListener|Mail|NameResolution|NetworkInformation|Ping|Primitives|Quic|Requests|Security|ServerSentEvents|ServicePoint|Sockets|WebClient|WebHeaderCollection|WebProxy|WebSockets(?:\.Client)?))?|Numerics(?:\.Vectors)?|ObjectModel|Reflection(?:\.(?:DispatchProxy|Emit(?:\.(?:ILGeneration|Lightweight))?|Extensions|Metadata|Primitives|TypeExtensions))?|Resources\.(?:Reader|ResourceManager|Writer)|Runtime(?:\.(?:CompilerServices\.(?:Unsafe|VisualC)|Extensions|Handles|InteropServices(?:\.(?:JavaScript|RuntimeInformation|WindowsRuntime))?|Intrinsics|Loader|Numerics|Serialization(?:\.(?:Formatters|Json|Primitives|Xml))?|WindowsRuntime))?|Security(?:\.(?:AccessControl|Claims|Cryptography(?:\.(?:Algorithms|Cng|Csp|Encoding|OpenSsl|Primitives|X509Certificates))?|Principal(?:\.Windows)?|SecureString))?|ServiceModel\.Web|ServiceProcess|Text\.(?:Encoding(?:\.(?:CodePages|Extensions))?|Encodings\.Web|Json|RegularExpressions)|Threading(?:\.(?:AccessControl|Channels|Overlapped|Tasks(?:\.(?:Dataflow|Extensions|Parallel))?|Thread|ThreadPool|Timer))?|Transactions(?:\.Local)?|ValueTuple|Web(?:\.HttpUtility)?|Windows|Xml(?:\.(?:Linq|ReaderWriter|Serialization|XDocument|XPath(?:\.XDocument)?|XmlDocument|XmlSerializer))?)$/i;
/** Since which version names are there that were not in 3.1. */
const SINCE: Readonly<Record<string, number>> = {
  'system.formats.asn1': 5,
  'system.net.http.json': 5,
  'system.formats.tar': 7,
  'system.net.quic': 7,
  'system.runtime.interopservices.javascript': 7,
  'system.io.pipelines': 9,
  'system.net.serversentevents': 10,
  'system.linq.asyncenumerable': 10,
  'system.threading.accesscontrol': 10,
};
const ASP =
  /^Microsoft\.(?:AspNetCore|Extensions|JSInterop|Net\.Http\.Headers)(?:\.|$)|^System\.(?:Diagnostics\.EventLog|IO\.Pipelines|Security\.Cryptography\.(?:Pkcs|Xml))$/i;

/** Whether a name is the platform's, as far as that is known without one. */
export function isPlatformName(name: string): boolean {
  return PLATFORM.test(name) || SYSTEM.test(name) || ASP.test(name);
}

export interface FrameworkNames {
  /** Whether the framework has an assembly of that name. */
  has(name: string): boolean;
}

/** By a runtime of the very version where one is here; otherwise by what is known. */
export async function frameworkNames(
  machine: Machine,
  version: string,
  config: RuntimeConfig | undefined,
): Promise<FrameworkNames> {
  const chosen = chooseRuntime(await runtimesOf(machine), version);
  const folder =
    chosen?.version.split('.')[0] === version ? join(chosen.home.home, 'shared', CORE, chosen.version) : undefined;
  const here =
    folder !== undefined && existsSync(folder)
      ? new Set(readdirSync(folder).flatMap((name) => /^(.*)\.dll$/i.exec(name)?.[1]?.toLowerCase() ?? []))
      : undefined;
  const isWeb = config?.frameworks.some(({ name }) => name === 'Microsoft.AspNetCore.App') === true;
  return {
    has(name) {
      if (isWeb && ASP.test(name)) return true;
      if (here !== undefined) return here.has(name.toLowerCase());
      const since = SINCE[name.toLowerCase()];
      if (since !== undefined) return Number(version) >= since;
      return PLATFORM.test(name) || SYSTEM.test(name);
    },
  };
}
