// A page's state is put together from parts: getters must stay getters, so properties are joined and not copied.
export const joined = (...parts) =>
  parts.reduce((whole, part) => Object.defineProperties(whole, Object.getOwnPropertyDescriptors(part)), {});
