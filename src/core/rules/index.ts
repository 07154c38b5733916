/** The rules that are about every language, in the order in which they are shown. A new rule is a new file and a line here. */
import { archNativeFile } from './arch/native-file';
import { archUnsupported } from './arch/unsupported';
import { depsMissing } from './deps/missing';
import { depsTestScope } from './deps/test-scope';
import { depsOverlap } from './deps/overlap';
import { depsVersionClash } from './deps/version-clash';
import { depsUnlocked } from './deps/unlocked';
import { depsUnseen } from './deps/unseen-import';
import { depsUnused } from './deps/unused';
import { entryMissingFile } from './entry/missing-file';
import { entryMissingMember } from './entry/missing-member';
import { eventShape } from './event/shape';
import { entryParameters } from './entry/parameters';
import { imageRuntimeMissing } from './image/runtime-missing';
import { imageEntryMissing } from './image/entry-missing';
import { imageArchMixed } from './image/arch-mixed';
import { imageBaseMoving } from './image/base-moving';
import { imageRootUser } from './image/root-user';
import { imageSetuid } from './image/setuid';
import { imageShadowed } from './image/shadowed';
import { imageTimeLeak } from './image/time-leak';
import { sizeImage } from './size/image';
import { sizeLayer } from './size/layer';
import { sizeLayersCount } from './size/layers-count';
import { layoutCaseClash } from './layout/case-clash';
import { layoutDamaged } from './layout/damaged';
import { layoutNestedRoot } from './layout/nested-root';
import { layoutStaleArtifact } from './layout/stale-artifact';
import { layoutUnreadableMode } from './layout/unreadable-mode';
import { layoutUnsafePath } from './layout/unsafe-path';
import { limitsMemory } from './limits/memory';
import { limitsTimeout } from './limits/timeout';
import { nativeExecutableStack } from './native/executable-stack';
import { nativeWritableCode } from './native/writable-code';
import { nativeCpuBaseline } from './native/cpu-baseline';
import { runtimeLibcKind } from './runtime/libc-kind';
import { runtimeLoader } from './runtime/loader';
import { runtimeLibrary } from './runtime/library';
import { depsAdvisory } from './deps/advisory';
import { licenceNotAllowed } from './licence/not-allowed';
import { licenceTextMissing } from './licence/text-missing';
import { licenceUnknown } from './licence/unknown';
import { papersWanted } from './papers/wanted';
import type { Rule } from '../findings/rule';
import { runtimeEnded } from './runtime/ended';
import { runtimeGlibc } from './runtime/glibc';
import { runtimeUnsupported } from './runtime/unsupported';
import { layoutLitter } from './layout/litter';
import { privacyHomePath } from './privacy/home-path';
import { secretFound } from './secret/found';
import { settingsMissing } from './settings/missing';
import { settingsReserved } from './settings/reserved';
import { settingsTotal } from './settings/total';
import { settingsUndeclared } from './settings/undeclared';
import { settingsUnread } from './settings/unread';
import { sizeBeside } from './size/beside';
import { sizeFiles } from './size/files';
import { sizeGrowth } from './size/growth';
import { sizeOneFile } from './size/one-file';
import { sizePacked } from './size/packed';
import { sizeUnpacked } from './size/unpacked';
import { sizeViewable } from './size/viewable';

export const COMMON_RULES: readonly Rule[] = [
  sizePacked,
  sizeUnpacked,
  sizeFiles,
  sizeBeside,
  sizeOneFile,
  sizeViewable,
  sizeGrowth,
  sizeImage,
  sizeLayer,
  sizeLayersCount,
  archUnsupported,
  archNativeFile,
  runtimeUnsupported,
  runtimeEnded,
  runtimeGlibc,
  runtimeLibcKind,
  runtimeLoader,
  runtimeLibrary,
  nativeExecutableStack,
  nativeWritableCode,
  nativeCpuBaseline,
  imageRuntimeMissing,
  imageEntryMissing,
  imageArchMixed,
  imageBaseMoving,
  imageRootUser,
  imageSetuid,
  imageShadowed,
  imageTimeLeak,
  entryMissingFile,
  entryMissingMember,
  entryParameters,
  eventShape,
  depsMissing,
  depsUnused,
  depsTestScope,
  depsVersionClash,
  depsOverlap,
  depsUnlocked,
  depsUnseen,
  depsAdvisory,
  licenceUnknown,
  licenceNotAllowed,
  licenceTextMissing,
  papersWanted,
  layoutNestedRoot,
  layoutStaleArtifact,
  layoutCaseClash,
  layoutUnsafePath,
  layoutDamaged,
  layoutUnreadableMode,
  limitsMemory,
  limitsTimeout,
  settingsMissing,
  settingsTotal,
  settingsReserved,
  settingsUndeclared,
  settingsUnread,
  secretFound,
  privacyHomePath,
  layoutLitter,
];

/** Groups of rules, by the first part of their ids, in the order in which they are shown. */
const GROUPS = [
  ...['size', 'arch', 'runtime', 'native', 'repro', 'build', 'image', 'entry', 'event', 'module'],
  ...['deps', 'licence', 'layout', 'limits', 'settings'],
];

/** The rules that count: those for all, and those that languages have for themselves, group by group. */
export function rulesWith(own: readonly Rule[]): readonly Rule[] {
  const all = new Map([...COMMON_RULES, ...own].map((rule) => [rule.id, rule]));
  const places = new Map(GROUPS.map((group, i) => [group, i]));
  const placeOf = ({ id }: Rule): number => places.get(groupOf(id)) ?? GROUPS.length;
  return [...all.values()].sort((a, b) => placeOf(a) - placeOf(b));
}

function groupOf(id: string): string {
  return id.slice(0, id.indexOf('/'));
}

export type {
  Finding,
  FunctionFacts,
  Gauge,
  Level,
  Need,
  Rule,
  RuleContext,
  Subject,
  SubjectEntry,
  Surroundings,
} from '../findings/rule';
