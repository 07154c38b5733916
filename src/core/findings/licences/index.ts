/** Licences: their texts, and what a package says of its own. */
export {
  isLicenceText,
  packageLicence,
  type PackageLicence,
  type PackageText,
  type StatedLicence,
} from './package-licence';
