/** What every kind of compiled file says of itself. */
export interface NativeInfo {
  readonly format: 'ELF' | 'PE' | 'Mach-O' | 'ar' | 'WebAssembly';
  /** The system that loads it; `any` for what is independent of systems. */
  readonly system: 'Linux' | 'FreeBSD' | 'Windows' | 'macOS' | 'any';
  readonly kind: 'program' | 'library' | 'object' | 'archive' | 'module';
  /** Processors it is for: several for files that hold code for each. Named as destinations name them. */
  readonly machines: readonly NativeMachine[];
  /** Names of the libraries or modules that it asks for. */
  readonly needs: readonly string[];
}

export interface NativeMachine {
  readonly name: string;
  readonly bits: 32 | 64;
}

export type NativeReading = NativeInfo | { readonly format: NativeInfo['format']; readonly fault: string };
