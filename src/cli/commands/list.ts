/** The commands, in the order of work. Each one's code is loaded when it is called. */
import type { CommandModule } from './command';

export interface CommandEntry {
  readonly name: string;
  readonly usage: string;
  readonly summary: string;
  load(): Promise<{ readonly command: CommandModule }>;
}

export const COMMANDS: readonly CommandEntry[] = [
  {
    name: 'lock',
    usage: 'lock [NAME…]',
    summary: 'settles third-party dependencies for every target into emballage.lock',
    load: () => import('./lock'),
  },
  {
    name: 'build',
    usage: 'build [NAME…]',
    summary: 'makes the artifacts and their waybills; only what changed is made again',
    load: () => import('./build'),
  },
  {
    name: 'check',
    usage: 'check [NAME… | FILE]',
    summary: 'holds artifacts against their destination',
    load: () => import('./check'),
  },
  {
    name: 'why',
    usage: 'why NAME PATTERN',
    summary: 'prints the chain from the entry to each matching file',
    load: () => import('./why'),
  },
  {
    name: 'try',
    usage: 'try NAME',
    summary: 'calls the function from its unpacked artifact with events',
    load: () => import('./try'),
  },
  {
    name: 'prove',
    usage: 'prove [NAME…]',
    summary: 'builds again in changed surroundings and compares the bytes',
    load: () => import('./prove'),
  },
  {
    name: 'send',
    usage: 'send [NAME…]',
    summary: 'delivers images to the registry of their destination',
    load: () => import('./send'),
  },
  {
    name: 'ledger',
    usage: 'ledger [NAME…]',
    summary: 'lists what was sent where',
    load: () => import('./ledger'),
  },
  {
    name: 'recall',
    usage: 'recall NAME…',
    summary: 'takes back what was sent',
    load: () => import('./recall'),
  },
  {
    name: 'rules',
    usage: 'rules [ID]',
    summary: 'what check looks for, and what each rule means',
    load: () => import('./rules'),
  },
  {
    name: 'toolchains',
    usage: 'toolchains',
    summary: 'the runtimes found on this machine',
    load: () => import('./toolchains'),
  },
  {
    name: 'stand-in',
    usage: 'stand-in KIND FOLDER',
    summary: 'serves a folder as a package index or a registry on this machine',
    load: () => import('./stand-in'),
  },
  {
    name: 'demo',
    usage: 'demo',
    summary: 'the full example, from source to proof, on made-up data',
    load: () => import('./demo'),
  },
];
