// What was dropped, chosen or pasted as a flat list of files, each with the folders it lay in.

const MOST = 5_000;

/** @typedef {{file: File, group: string}} Grouped */

/** @param {DataTransfer | null} transfer @returns {Promise<Grouped[]>} */
export async function droppedFiles(transfer) {
  if (!transfer) return [];
  // entries have to be asked for before anything is awaited: afterwards the browser has forgotten them
  const entries = [...transfer.items].filter((item) => item.kind === "file").map((item) => item.webkitGetAsEntry?.() ?? item.getAsFile());
  /** @type {Grouped[]} */ const found = [];
  for (const entry of entries) {
    if (entry instanceof File) found.push({ file: entry, group: "" });
    else if (entry) await walk(entry, "", found);
  }
  return found;
}

/** @param {FileList | null} files @returns {Grouped[]} */
export function chosenFiles(files) {
  return [...(files ?? [])].slice(0, MOST).map((file) => ({ file, group: file.webkitRelativePath.split("/").slice(0, -1).join("/") })).filter(({ file }) => !isHidden(file.name));
}

/** @param {FileSystemEntry} entry @param {string} group @param {Grouped[]} found @returns {Promise<void>} */
async function walk(entry, group, found) {
  if (found.length >= MOST || isHidden(entry.name)) return;
  if (entry.isFile) {
    const file = await new Promise((done, failed) => /** @type {FileSystemFileEntry} */ (entry).file(done, failed)).catch(() => null);
    if (file) found.push({ file, group });
    return;
  }
  const reader = /** @type {FileSystemDirectoryEntry} */ (entry).createReader();
  const inside = group ? `${group}/${entry.name}` : entry.name;
  for (;;) {
    /** @type {FileSystemEntry[]} */ const some = await new Promise((done, failed) => reader.readEntries(done, failed)).catch(() => []);
    if (!some.length) return;
    for (const one of some.sort((a, b) => a.name.localeCompare(b.name))) await walk(one, inside, found);
  }
}

/** What systems put beside pictures. @param {string} name */
const isHidden = (name) => name.startsWith(".") || ["Thumbs.db", "desktop.ini", "__MACOSX"].includes(name);
