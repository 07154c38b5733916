/** All rules, in the order in which they are shown. A new rule is a new file and a line here. */
import { archNativeFile } from './arch-native-file';
import { archUnsupported } from './arch-unsupported';
import { depsDuplicate } from '../languages/node/rules/deps-duplicate';
import { depsMissing } from './deps-missing';
import { depsOverlap } from './deps-overlap';
import { depsScript } from '../languages/node/rules/deps-script';
import { depsUnlocked } from './deps-unlocked';
import { depsUnseen } from './deps-unseen';
import { depsTestScope } from '../languages/jvm/rules/deps-test-scope';
import { depsUnused } from './deps-unused';
import { depsVersionClash } from '../languages/jvm/rules/deps-version-clash';
import { entryMissingFile } from './entry-missing-file';
import { entryMissingMember } from './entry-missing-member';
import { entryParameters } from './entry-parameters';
import { imageRuntimeMissing } from './image-runtime-missing';
import { imageEntryMissing } from './image-entry-missing';
import { imageArchMixed } from './image-arch-mixed';
import { imageBaseMoving } from './image-base-moving';
import { imageRootUser } from './image-root-user';
import { imageSetuid } from './image-setuid';
import { imageShadowed } from './image-shadowed';
import { imageTimeLeak } from './image-time-leak';
import { sizeImage } from './size-image';
import { sizeLayer } from './size-layer';
import { sizeLayersCount } from './size-layers-count';
import { layoutCaseClash } from './layout-case-clash';
import { layoutDamaged } from './layout-damaged';
import { layoutNestedRoot } from './layout-nested-root';
import { layoutStaleArtifact } from './layout-stale-artifact';
import { layoutUnreadableMode } from './layout-unreadable-mode';
import { layoutUnsafePath } from './layout-unsafe-path';
import { limitsMemory } from './limits-memory';
import { limitsTimeout } from './limits-timeout';
import { moduleFormatClash } from '../languages/node/rules/module-format-clash';
import { nativeStatic } from '../languages/compiled/rules/native-static';
import { nativeExecutableStack } from './native-executable-stack';
import { nativeWritableCode } from './native-writable-code';
import { nativeCpuBaseline } from './native-cpu-baseline';
import { nativeNotExecutable } from '../languages/compiled/rules/native-not-executable';
import { nativeDebugLeft } from '../languages/compiled/rules/native-debug-left';
import { entryStartName } from '../languages/compiled/rules/entry-start-name';
import { reproPathLeak } from '../languages/compiled/rules/repro-path-leak';
import { runtimeLibcKind } from './runtime-libc-kind';
import { runtimeLoader } from './runtime-loader';
import { runtimeLibrary } from './runtime-library';
import type { Rule } from '../findings/rule';
import { runtimeEnded } from './runtime-ended';
import { runtimeGlibc } from './runtime-glibc';
import { runtimeJavaVersion } from '../languages/jvm/rules/runtime-java-version';
import { runtimeNodeVersion } from '../languages/node/rules/runtime-node-version';
import { runtimePythonVersion } from '../languages/python/rules/runtime-python-version';
import { runtimeUnsupported } from './runtime-unsupported';
import { settingsMissing } from './settings-missing';
import { settingsReserved } from './settings-reserved';
import { settingsTotal } from './settings-total';
import { settingsUndeclared } from './settings-undeclared';
import { settingsUnread } from './settings-unread';
import { sizeFiles } from './size-files';
import { sizeOneFile } from './size-one-file';
import { sizePacked } from './size-packed';
import { sizeUnpacked } from './size-unpacked';
import { sizeViewable } from './size-viewable';

export const RULES: readonly Rule[] = [
  sizePacked,
  sizeUnpacked,
  sizeFiles,
  sizeOneFile,
  sizeViewable,
  sizeImage,
  sizeLayer,
  sizeLayersCount,
  archUnsupported,
  archNativeFile,
  runtimeUnsupported,
  runtimeEnded,
  runtimePythonVersion,
  runtimeNodeVersion,
  runtimeJavaVersion,
  runtimeGlibc,
  runtimeLibcKind,
  runtimeLoader,
  runtimeLibrary,
  nativeStatic,
  nativeExecutableStack,
  nativeWritableCode,
  nativeCpuBaseline,
  nativeNotExecutable,
  nativeDebugLeft,
  reproPathLeak,
  entryStartName,
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
  moduleFormatClash,
  depsMissing,
  depsUnused,
  depsOverlap,
  depsVersionClash,
  depsTestScope,
  depsDuplicate,
  depsUnlocked,
  depsScript,
  depsUnseen,
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
];

export { percent, showAmount } from './limit';
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
