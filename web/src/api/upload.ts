/** Sending a file in parts; a part that got no answer is sent again from where the server is. */
import { api, data, Problem, putBytes } from "./client";

const PART = 4 * 1024 * 1024;

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
      if (!(error instanceof Problem) || error.status !== 0 || ++failures > 40) throw error;
      await new Promise((resolve) => setTimeout(resolve, 500));
    }
    told(offset / file.size);
  }
  return id;
}
