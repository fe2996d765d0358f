import { ElMessageBox } from "element-plus";
import { api, ask } from "../api/client";
import { tell } from "../talk/tell";

/** Removes an episode, or a layout, if that is really meant. Whether it was is the answer; what goes wrong is said. */
export async function removeIfMeant(
  id: string,
  words: { title: string; gone: string; what: string },
): Promise<boolean> {
  try {
    await ElMessageBox.confirm(words.gone, words.title, {
      confirmButtonText: `Remove the ${words.what}`,
      cancelButtonText: "Cancel",
      type: "warning",
    });
  } catch {
    return false;
  }
  try {
    await ask(api.DELETE("/episodes/{episode}", { params: { path: { episode: id } } }));
  } catch (error) {
    tell(error);
  }
  return true;
}
