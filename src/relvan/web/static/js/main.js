// Starts every behaviour; each lives in a file of its own, and pages can be read without any of them.
import { command } from "./command.js";
import { keys } from "./keys.js";
import { scanner } from "./scanner.js";
import { table } from "./table.js";
import { toasts } from "./toasts.js";
import { unsaved } from "./unsaved.js";
import { why } from "./why.js";

for (const start of [command, keys, scanner, table, toasts, unsaved, why]) start(document);
