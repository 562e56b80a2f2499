// placeholder until notes are built
/** @type {import("./mode_door.js").ModeTool} */
export const tool = { listen: () => undefined, read: () => undefined, parts: () => [], press: () => undefined, key: () => false };
