/** Records and numbers of the zip format, in the words of its specification (APPNOTE.TXT 6.3.10; sections cited). */
import { record } from '../../base/record';

export const LOCAL_SIGNATURE = 0x04034b50;
export const CENTRAL_SIGNATURE = 0x02014b50;
export const END_SIGNATURE = 0x06054b50;
export const ZIP64_END_SIGNATURE = 0x06064b50;
export const ZIP64_LOCATOR_SIGNATURE = 0x07064b50;

/** 4.3.7 Local file header; name and extra field follow. */
export const LOCAL_HEADER = record([
  ['signature', 4],
  ['versionNeeded', 2],
  ['flags', 2],
  ['method', 2],
  ['lastModTime', 2],
  ['lastModDate', 2],
  ['crc32', 4],
  ['compressedSize', 4],
  ['uncompressedSize', 4],
  ['fileNameLength', 2],
  ['extraFieldLength', 2],
]);

/** 4.3.12 Central directory header; name, extra field and comment follow. */
export const CENTRAL_HEADER = record([
  ['signature', 4],
  ['versionMadeBy', 2],
  ['versionNeeded', 2],
  ['flags', 2],
  ['method', 2],
  ['lastModTime', 2],
  ['lastModDate', 2],
  ['crc32', 4],
  ['compressedSize', 4],
  ['uncompressedSize', 4],
  ['fileNameLength', 2],
  ['extraFieldLength', 2],
  ['fileCommentLength', 2],
  ['diskNumberStart', 2],
  ['internalFileAttributes', 2],
  ['externalFileAttributes', 4],
  ['relativeOffsetOfLocalHeader', 4],
]);

/** 4.3.16 End of central directory record; the comment follows. */
export const END_RECORD = record([
  ['signature', 4],
  ['diskNumber', 2],
  ['centralDirectoryDisk', 2],
  ['entriesOnDisk', 2],
  ['entries', 2],
  ['centralDirectorySize', 4],
  ['centralDirectoryOffset', 4],
  ['commentLength', 2],
]);

/** 4.3.14 Zip64 end of central directory record. */
export const ZIP64_END_RECORD = record([
  ['signature', 4],
  ['sizeOfRecord', 8],
  ['versionMadeBy', 2],
  ['versionNeeded', 2],
  ['diskNumber', 4],
  ['centralDirectoryDisk', 4],
  ['entriesOnDisk', 8],
  ['entries', 8],
  ['centralDirectorySize', 8],
  ['centralDirectoryOffset', 8],
]);

/** 4.3.15 Zip64 end of central directory locator. */
export const ZIP64_LOCATOR = record([
  ['signature', 4],
  ['endRecordDisk', 4],
  ['endRecordOffset', 8],
  ['disks', 4],
]);

/** 4.5.1 Header of each extra field. */
export const EXTRA_HEADER = record([
  ['id', 2],
  ['size', 2],
]);
/** 4.5.3 Zip64 extended information extra field. */
export const ZIP64_EXTRA_ID = 0x0001;

export const MAX_16 = 0xffff;
export const MAX_32 = 0xffffffff;
/** The end record without a comment is 22 bytes; the comment's length has 16 bits. */
export const MAX_END_BYTES = END_RECORD.size + MAX_16;

/** 4.4.4 General purpose bit flag. */
export const FLAG_ENCRYPTED = 1 << 0;
export const FLAG_DATA_DESCRIPTOR = 1 << 3;
export const FLAG_STRONG_ENCRYPTION = 1 << 6;
export const FLAG_UTF8 = 1 << 11;

/** 4.4.5 Compression method. */
export const METHOD_STORED = 0;
export const METHOD_DEFLATED = 8;

/** 4.4.2.2 Host systems that keep Unix modes in the high half of the external attributes. */
export const HOST_UNIX = 3;
export const HOST_MACOS = 19;
/** 4.4.3.2 Versions needed: 2.0 for deflate and folders, 4.5 for Zip64. */
export const VERSION_DEFLATE = 20;
export const VERSION_ZIP64 = 45;

/** POSIX `st_mode` file types. */
export const S_IFMT = 0o170000;
export const S_IFREG = 0o100000;
export const S_IFDIR = 0o040000;
export const S_IFLNK = 0o120000;
/** MS-DOS attribute of a folder. */
export const DOS_DIRECTORY = 0x10;

/** What our writer puts into the archive comment, so that an artifact can be told from any other archive. */
export const ARTIFACT_MARK = 'packed by Emballage';
