import { baseOf } from '../../../base/paths';
import { ownerOf } from '../view/owner';
import { findings, type Rule } from '../../../findings/rule';

export const depsScript: Rule = {
  id: 'deps/script',
  level: 'warn',
  title: 'No package needs a script to run when it is installed',
  why: 'Scripts of packages are never run here: they do what they like, differently on every machine. A package that compiles or fetches its addon by one lacks it in the artifact.',
  mend: 'Choose a package that brings its addons along, ready for each platform, or compile the addon and pack it yourself.',
  needs: ['waybill'],
  check({ facts: { waybill } }) {
    if (waybill === undefined) return findings();
    const scripted = waybill.packages.filter(({ node }) => node?.script === true);
    return findings(
      ...scripted.flatMap(({ name, version, node: { at } = { at: '' } }) => {
        const inside = ({ path }: { readonly path: string }): boolean => ownerOf(path) === at;
        if (![...waybill.files, ...waybill.modules].some(inside)) return [];
        const isCompiled = [...waybill.files, ...waybill.trimmed].some(
          (one) => inside(one) && baseOf(one.path) === 'binding.gyp',
        );
        // Addons for one platform each often lie in packages of their own, which this one asks for.
        const homes = new Set([
          at,
          ...waybill.packages.flatMap((one) =>
            [name, `${name} ${version}`].some((asker) => one.by.includes(asker)) ? (one.node?.at ?? []) : [],
          ),
        ]);
        const hasAddon = waybill.files.some((one) => one.path.endsWith('.node') && homes.has(ownerOf(one.path)));
        const lacks = isCompiled && !hasAddon;
        return [
          {
            level: lacks ? ('stop' as const) : ('warn' as const),
            where: `${name} ${version}`,
            expected: 'a package that is whole as it comes',
            found: lacks
              ? 'one whose addon is compiled when it is installed, and is not there'
              : 'one with a script that wants to run when it is installed, which it did not',
            mend: lacks
              ? 'choose a version that brings its addon along, or put the compiled addon into the source folder'
              : 'try the function; what works without the script can be accepted',
          },
        ];
      }),
    );
  },
};
