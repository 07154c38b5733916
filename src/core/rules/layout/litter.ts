import { baseOf } from '../../base/paths';
import { printable } from '../../base/text';
import { filesFrom } from '../../findings/origins';
import { findings, type Finding, type Level, type Rule, type Subject, type SubjectEntry } from '../../findings/rule';

/** What is left lying about, by its path. */
const LITTER: readonly { readonly what: string; readonly level: Level; readonly path: RegExp }[] = [
  {
    what: 'a file of settings of somebody’s machine',
    level: 'stop',
    path: /(?:^|\/)\.env(?:\.(?!example$|sample$|template$|dist$|defaults$)[\w.-]+)?$/,
  },
  { what: 'the repository of version control', level: 'stop', path: /(?:^|\/)\.(?:git|hg|svn|bzr)\// },
  {
    what: 'a login of a client',
    level: 'stop',
    path: /(?:^|\/)(?:\.netrc|_netrc|\.pgpass|\.npmrc|\.pypirc|\.htpasswd|\.git-credentials)$/,
  },
  { what: 'a key store', level: 'warn', path: /\.(?:p12|pfx|jks|keystore|ppk|kdbx)$/i },
  {
    what: 'a private key among tests',
    level: 'warn',
    path: /^(?=.*[\w-]\.(?:key|pem)$)(?:.*\/)?(?:tests?|fixtures?|__tests__|testdata)\//i,
  },
  {
    what: 'what an editor left',
    level: 'note',
    path: /(?:^|\/)(?:\.idea|\.vscode|\.vs)\/|\.sw[a-p]$|~$|(?:^|\/)(?:\.#[^/]+|#[^/]+#)$|\.(?:orig|rej|bak)$/i,
  },
  {
    what: 'what a file browser left',
    level: 'note',
    path: /(?:^|\/)(?:\.DS_Store$|Thumbs\.db$|desktop\.ini$|__MACOSX\/)/i,
  },
  { what: 'what version control is told', level: 'note', path: /(?:^|\/)\.git(?:ignore|attributes|modules|keep)$/ },
  {
    what: 'a memory dump',
    level: 'stop',
    path: /(?:^|\/)(?:core|core\.\d{2,7}|hs_err_pid\d+\.log)$|\.(?:hprof|dmp|heapsnapshot)$/,
  },
  { what: 'a log', level: 'note', path: /(?:^|\/)(?:[a-z]+-debug|[a-z]+-error)\.log$/ },
];

const HEAD_BYTES = 64 * 1024 * 1024;

export const layoutLitter: Rule = {
  id: 'layout/litter',
  level: 'warn',
  title: 'Nothing lies in it that was left lying about',
  why: 'Files of somebody’s machine tell what is nobody’s business, and make the artifact larger: settings with secrets, repositories, dumps, databases.',
  mend: 'Delete it, or name it under `leave-out`.',
  needs: [],
  check({ subject, facts: { waybill } }) {
    // Packages are what others decided to publish.
    const others = filesFrom(waybill, 'package');
    const files = subject.entries.filter(({ kind, path }) => kind === 'file' && !others.has(path));
    const found = files.flatMap((entry) => judge(subject, entry) ?? []);
    return findings(...gathered(found));
  },
};

function judge(subject: Subject, entry: SubjectEntry): Finding | undefined {
  const { path } = entry;
  const byName = LITTER.find((one) => one.path.test(path));
  if (byName !== undefined && !(isCore(path) && !isElfCore(subject, entry)))
    return about(path, byName.level, byName.what);
  if (/\.(?:sqlite3?|db3?|s3db)$/i.test(path) && isDatabase(subject, entry)) return about(path, 'note', 'a database');
  return undefined;
}

function about(path: string, level: Level, what: string): Finding {
  return {
    level,
    where: printable(path),
    expected: 'what the function needs',
    found: what,
    mend: `delete it, or write \`leave-out: ["/${printable(path)}"]\`; what it needs is accepted with a reason`,
  };
}

/** A repository has thousands of files: it is told once. */
function gathered(found: readonly Finding[]): Finding[] {
  const seen = new Set<string>();
  return found.filter(({ where = '', found: what }) => {
    const [, folder] = /^(.*?\.(?:git|hg|svn|bzr|idea|vscode))\//.exec(where) ?? [];
    const key = folder === undefined ? where : `${folder} ${what}`;
    return seen.size < seen.add(key).size;
  });
}

function isCore(path: string): boolean {
  return /^core(?:\.\d+)?$/.test(baseOf(path));
}

/** A folder of code is often called so, too: a dump says in its header what it is (ELF, `e_type` 4). */
function isElfCore(subject: Subject, { path }: SubjectEntry): boolean {
  const bytes = subject.readBytes(path, Infinity);
  return bytes?.[0] === 0x7f && bytes[1] === 0x45 && bytes[16] === 4;
}

function isDatabase(subject: Subject, { path }: SubjectEntry): boolean {
  const bytes = subject.readBytes(path, HEAD_BYTES);
  return bytes !== undefined && Buffer.from(bytes.subarray(0, 15)).toString('latin1') === 'SQLite format 3';
}
