/** Sending a file in parts; a part that got no answer is sent again from where the server is. */
import { api, data, mayComeBack, putBytes, serverLost } from "./client";

const PART = 4 * 1024 * 1024;
/** Half a second each: a server is started anew meanwhile; one that says what troubles it is told of sooner. */
const TRIES = 40;
const TRIES_IN_TROUBLE = 4;

export async function uploadFile(file: File, told: (share: number) => void): Promise<number> {
  const { id } = await data(api.POST("/api/uploads", { body: { name: file.name, size: file.size } }));
  let offset = 0;
  let failures = 0;
  while (offset < file.size) {
    const end = Math.min(file.size, offset + PART);
    try {
      await putBytes(`/api/uploads/${id}?offset=${offset}`, file.slice(offset, end));
      offset = end;
      failures = 0;
    } catch (error) {
      const most = serverLost.value ? TRIES : TRIES_IN_TROUBLE;
      if (!mayComeBack(error) || ++failures > most) throw error;
      await new Promise((resolve) => setTimeout(resolve, 500));
    }
    told(offset / file.size);
  }
  return id;
}
