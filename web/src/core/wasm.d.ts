declare module '*.wasm?url' {
  const at: string;
  export default at;
}
