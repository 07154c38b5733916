/** What a class says of others: whom it names, what it looks up by name, which settings it reads. Plain data, to be kept. */
import {
  ACC,
  ByteReader,
  eachTextUse,
  readCode,
  typesIn,
  type ClassFile,
  type Code,
  type Member,
} from '../../../formats/classfile';
import { eachCall, type Call } from './stack-constants';

export interface ClassFacts {
  readonly name: string;
  readonly super: string;
  readonly interfaces: readonly string[];
  readonly major: number;
  readonly access: number;
  /** Name of the source file, without its folder. */
  readonly file?: string;
  /** Classes that are named as types, sorted. */
  readonly refs: readonly string[];
  /** Texts that may be names of classes or resources. */
  readonly texts: readonly string[];
  /** Services that are looked for. */
  readonly services: readonly string[];
  /** Places that look something up by a name that cannot be seen. */
  readonly unseen: readonly { readonly method: string; readonly line: number; readonly what: string }[];
  readonly settings: readonly { readonly name: string; readonly line: number }[];
}

const NAME_LIKE = /^\/?[A-Za-z_$][\w$-]*(?:[./][\w$-]+)+$/;

/** What tracing has to know of a class: what it names, what it may load by name, its members. */
export function classFacts(file: ClassFile): ClassFacts {
  return new FactsReader(file).read();
}

class FactsReader {
  readonly #file: ClassFile;
  readonly #refs = new Set<string>();
  readonly #texts = new Set<string>();
  readonly #services = new Set<string>();
  readonly #unseen: { method: string; line: number; what: string }[] = [];
  readonly #settings: { name: string; line: number }[] = [];

  constructor(file: ClassFile) {
    this.#file = file;
  }

  read(): ClassFacts {
    const { name, superName = '', interfaces, major, access, attributes, pool, methods } = this.#file;
    const done = new Set<string>();
    eachTextUse(this.#file, (use, index) => {
      if (use === 'name' || done.has(`${use[0] ?? ''}${String(index)}`)) return;
      done.add(`${use[0] ?? ''}${String(index)}`);
      const text = pool.text(index);
      if (use === 'string') {
        if (text.length < 300 && NAME_LIKE.test(text)) this.#texts.add(text);
      } else if (use === 'class' && !text.startsWith('[')) this.#refs.add(text);
      else for (const type of typesIn(text)) this.#refs.add(type);
    });
    this.#refs.delete(name);
    for (const method of methods) this.#method(method);
    const source = attributes.find((one) => one.name === 'SourceFile');
    return {
      name,
      super: superName,
      interfaces,
      major,
      access,
      ...(source !== undefined && { file: pool.text(new ByteReader(source.data).u2()) }),
      refs: [...this.#refs].sort(),
      texts: [...this.#texts].sort(),
      services: [...this.#services].sort(),
      unseen: this.#unseen,
      settings: this.#settings,
    };
  }

  #method(method: Member): void {
    const attribute = method.attributes.find(({ name }) => name === 'Code');
    if (attribute === undefined || (method.access & ACC.abstract) !== 0) return;
    const code = readCode(attribute.data, this.#file.pool);
    eachCall(code.code, this.#file.pool, code.handlers, (call) => this.#call(call, method, code));
  }

  #call(call: Call, method: Member, code: Code): void {
    const { owner, name } = call.member;
    const look = LOOK_UPS[`${owner}.${name}`];
    if (look === undefined) return;
    const line = lineAt(code, call.at);
    const known = call.args.find((one) => one !== undefined);
    if (look === 'setting') {
      if (known !== undefined && 'string' in known) this.#settings.push({ name: known.string, line });
    } else if (look === 'service') {
      if (known !== undefined && 'type' in known) this.#services.add(known.type);
      else
        this.#unseen.push({
          method: method.name,
          line,
          what: `${short(owner)}.${name} of a service that is not constant`,
        });
    } else if (known === undefined || !('string' in known))
      this.#unseen.push({ method: method.name, line, what: `${short(owner)}.${name} of a name that is not constant` });
    else this.#texts.add(known.string);
  }
}

/** Calls that find something by its name when they run. */
const LOOK_UPS: Readonly<Record<string, 'class' | 'service' | 'setting'>> = {
  'java/lang/Class.forName': 'class',
  'java/lang/ClassLoader.loadClass': 'class',
  'java/lang/invoke/MethodHandles$Lookup.findClass': 'class',
  'java/util/ServiceLoader.load': 'service',
  'java/util/ServiceLoader.loadInstalled': 'service',
  'java/lang/System.getenv': 'setting',
};

function short(owner: string): string {
  return owner.slice(owner.lastIndexOf('/') + 1).replaceAll('$', '.');
}

/** Line of an instruction; 0 where the class does not say. */
export function lineAt(code: Code, at: number): number {
  let best = { start: -1, line: 0 };
  for (const { name, data } of code.attributes) {
    if (name !== 'LineNumberTable') continue;
    const reader = new ByteReader(data);
    for (let left = reader.u2(); left > 0; left -= 1) {
      const [start, line] = [reader.u2(), reader.u2()];
      if (start <= at && start > best.start) best = { start, line };
    }
  }
  return best.line;
}
