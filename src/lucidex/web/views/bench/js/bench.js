// Entry of the bench: wires its modules together. Emits nothing.
import { listenToAmounts } from "./amounts.js";
import { listenToCurves } from "./curve.js";
import { listenToDrafts } from "./drafting.js";
import { startFolding } from "./folding.js";
import { followServer } from "./follow.js";
import { listenForKeys } from "./keys.js";
import { listenToLevels } from "./levels.js";
import { registerLine } from "./line.js";
import { listenToPads } from "./pads.js";
import { listenToPointer } from "./sampling.js";
import { startStage } from "./stage.js";

document.addEventListener("alpine:init", () => registerLine(window.Alpine));
startFolding();
startStage();
followServer();
listenForKeys();
listenToAmounts();
listenToDrafts();
listenToLevels();
listenToCurves();
listenToPads();
listenToPointer();
