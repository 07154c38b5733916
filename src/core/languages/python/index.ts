/** Functions in Python. */
export { type Candidate, type Project as PythonProject } from './candidates';
export { markerEnvironment, pythonTarget } from './environment';
export { type CoreMetadata } from './metadata';
export { normalizeName } from './marker';
export { formatPylock, readPylock } from './pylock';
export { PythonProvider, type BuildMetadata, type SourceSpec } from './provider';
export { readPyproject } from './pyproject';
export { parseRequirement } from './requirement';
export { readRequirementsFile } from './requirements-txt';
export { resolveRequirements, type ResolvedPackage, type StatedRequirement } from './resolve';
export { parseWheelName, targetTags, type PythonTarget } from './tags';
export { projectFor } from './candidates';
export { parseVersion } from './version';
export { assemblePython, type Assembled, type PackageInput } from './assemble';
export { readModuleFacts, type ModuleFacts } from './trace/module-facts';
export { unpackWheel, type UnpackedWheel } from './wheel';
