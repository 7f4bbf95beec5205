// Starts every behaviour; each lives in a file of its own, and pages can be read without any of them.
import { bench } from "./bench.js";
import { carton } from "./carton.js";
import { change } from "./change.js";
import { command } from "./command.js";
import { counting } from "./counting.js";
import { family } from "./family.js";
import { floor } from "./floor.js";
import { keys } from "./keys.js";
import { listing } from "./listing.js";
import { needs } from "./needs.js";
import { order, spoken } from "./order.js";
import { phone } from "./phone.js";
import { pictures } from "./pictures.js";
import { places } from "./places.js";
import { scanner } from "./scanner.js";
import { sheet } from "./sheet.js";
import { supply } from "./supply.js";
import { table } from "./table.js";
import { toasts } from "./toasts.js";
import { tree } from "./tree.js";
import { unsaved } from "./unsaved.js";
import { why } from "./why.js";

for (const start of [bench, carton, change, command, counting, family, floor, keys, listing, needs, order, spoken, phone, pictures, places, scanner, sheet, supply, table, toasts, tree, unsaved, why]) start(document);
