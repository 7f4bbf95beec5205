// What was scanned and not answered yet, kept on the phone in the order in which it was done.
const STORE = "scans";

function opened() {
  return new Promise((resolve, reject) => {
    const asked = indexedDB.open("relvan-phone", 1);
    asked.onupgradeneeded = () => asked.result.createObjectStore(STORE, { keyPath: "at_place", autoIncrement: true });
    asked.onsuccess = () => resolve(asked.result);
    asked.onerror = () => reject(asked.error);
  });
}

async function within(mode, work) {
  const base = await opened();
  return new Promise((resolve, reject) => {
    const deal = base.transaction(STORE, mode);
    const asked = work(deal.objectStore(STORE));
    deal.oncomplete = () => {
      base.close();
      resolve(asked?.result);
    };
    deal.onerror = () => reject(deal.error);
  });
}

export const keep = (scan) => within("readwrite", (store) => store.add(scan));

export const waiting = async (list) => (await within("readonly", (store) => store.getAll())).filter((one) => one.list === list);

export const forget = (places) =>
  within("readwrite", (store) => {
    places.forEach((place) => store.delete(place));
  });
