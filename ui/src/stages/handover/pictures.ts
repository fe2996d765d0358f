import { api, ask, type Schema } from "../../api/client";

/** Hands a picture in to a show. Throws a Refusal. */
export function handIn(show: string, file: File, use: "artwork" | "chapter"): Promise<Schema["Picture"]> {
  return ask(
    api.POST("/shows/{show}/pictures", {
      params: { path: { show }, query: { for: use } },
      // Its bytes are sent as they are.
      body: file as unknown as string,
      bodySerializer: (body) => body,
      headers: { "Content-Type": "application/octet-stream" },
    }),
  );
}
