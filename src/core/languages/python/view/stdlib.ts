/** Names of the modules at the top of the standard library of CPython, as `sys.stdlib_module_names` lists them. */

/** In every version from 3.9 to 3.13. */
const ALWAYS = new Set(
  (
    '__future__ _abc _aix_support _ast _asyncio _bisect _blake2 _bz2 _codecs _codecs_cn _codecs_hk ' +
    '_codecs_iso2022 _codecs_jp _codecs_kr _codecs_tw _collections _collections_abc _compat_pickle ' +
    '_compression _contextvars _csv _ctypes _curses _curses_panel _datetime _decimal _elementtree ' +
    '_functools _hashlib _heapq _imp _io _json _locale _lsprof _lzma _markupbase _md5 _multibytecodec ' +
    '_multiprocessing _opcode _operator _osx_support _pickle _posixshmem _posixsubprocess _py_abc ' +
    '_pydecimal _pyio _queue _random _scproxy _sha1 _sha3 _signal _sitebuiltins _socket _sqlite3 _sre ' +
    '__main__ _ssl _stat _statistics _string _strptime _struct _symtable _thread _threading_local _tkinter ' +
    '_tracemalloc _uuid _warnings _weakref _weakrefset _winapi _zoneinfo abc antigravity argparse array ' +
    'ast asyncio atexit base64 bdb binascii bisect builtins bz2 cProfile calendar cmath cmd code codecs ' +
    'codeop collections colorsys compileall concurrent configparser contextlib contextvars copy copyreg ' +
    'csv ctypes curses dataclasses datetime dbm decimal difflib dis doctest email encodings ensurepip ' +
    'enum errno faulthandler fcntl filecmp fileinput fnmatch fractions ftplib functools gc genericpath ' +
    'getopt getpass gettext glob graphlib grp gzip hashlib heapq hmac html http idlelib imaplib importlib ' +
    'inspect io ipaddress itertools json keyword linecache locale logging lzma mailbox marshal math ' +
    'mimetypes mmap modulefinder msvcrt multiprocessing netrc nt ntpath nturl2path numbers opcode ' +
    'operator optparse os pathlib pdb pickle pickletools pkgutil platform plistlib poplib posix posixpath ' +
    'pprint profile pstats pty pwd py_compile pyclbr pydoc pydoc_data pyexpat queue quopri random re ' +
    'readline reprlib resource rlcompleter runpy sched secrets select selectors shelve shlex shutil ' +
    'signal site smtplib socket socketserver sqlite3 sre_compile sre_constants sre_parse ssl stat ' +
    'statistics string stringprep struct subprocess symtable sys sysconfig syslog tabnanny tarfile ' +
    'tempfile termios textwrap this threading time timeit tkinter token tokenize trace traceback ' +
    'tracemalloc tty turtle turtledemo types typing unicodedata unittest urllib uuid venv warnings wave ' +
    'weakref webbrowser winreg winsound wsgiref xml xmlrpc zipapp zipfile zipimport zlib zoneinfo'
  ).split(' '),
);

/** First and last minor version of 3 that has a module; undefined where that is beyond those listed. */
const SOMETIMES: Readonly<Record<string, readonly [since: number | undefined, until: number | undefined]>> = {
  _android_support: [13, undefined],
  _bootlocale: [undefined, 9],
  _bootsubprocess: [undefined, 11],
  _colorize: [13, undefined],
  _crypt: [undefined, 12],
  _dbm: [10, undefined],
  _frozen_importlib: [10, undefined],
  _frozen_importlib_external: [10, undefined],
  _gdbm: [10, undefined],
  _interpchannels: [13, undefined],
  _interpqueues: [13, undefined],
  _interpreters: [13, undefined],
  _ios_support: [13, undefined],
  _msi: [10, 12],
  _opcode_metadata: [13, undefined],
  _overlapped: [10, undefined],
  _pydatetime: [12, undefined],
  _pylong: [12, undefined],
  _pyrepl: [13, undefined],
  _sha2: [12, undefined],
  _sha256: [undefined, 11],
  _sha512: [undefined, 11],
  _suggestions: [13, undefined],
  _sysconfig: [13, undefined],
  _tokenize: [11, undefined],
  _typing: [11, undefined],
  _wmi: [13, undefined],
  aifc: [undefined, 12],
  asynchat: [undefined, 11],
  asyncore: [undefined, 11],
  audioop: [undefined, 12],
  binhex: [undefined, 10],
  cgi: [undefined, 12],
  cgitb: [undefined, 12],
  chunk: [undefined, 12],
  crypt: [undefined, 12],
  distutils: [undefined, 11],
  formatter: [undefined, 9],
  imghdr: [undefined, 12],
  imp: [undefined, 11],
  lib2to3: [undefined, 12],
  mailcap: [undefined, 12],
  msilib: [undefined, 12],
  nis: [undefined, 12],
  nntplib: [undefined, 12],
  ossaudiodev: [undefined, 12],
  parser: [undefined, 9],
  pipes: [undefined, 12],
  smtpd: [undefined, 11],
  sndhdr: [undefined, 12],
  spwd: [undefined, 12],
  sunau: [undefined, 12],
  symbol: [undefined, 9],
  telnetlib: [undefined, 12],
  tomllib: [11, undefined],
  uu: [undefined, 12],
  xdrlib: [undefined, 12],
};

/** Whether the standard library of a version of Python, `3.11`, has a module of that name at its top. */
export function isStandardModule(name: string, python: string): boolean {
  if (ALWAYS.has(name)) return true;
  const span = Object.hasOwn(SOMETIMES, name) ? SOMETIMES[name] : undefined;
  if (span === undefined) return false;
  const minor = Number(python.split('.')[1] ?? 0);
  return minor >= (span[0] ?? 0) && minor <= (span[1] ?? Infinity);
}
