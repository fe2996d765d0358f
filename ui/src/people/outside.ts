import { api, ask, type Refusal } from "../api/client";

/** Goes to where somebody signs in elsewhere, with the link of an invitation if there is one. Gives why it does not. */
export async function awayWith(link = ""): Promise<string> {
  try {
    const { address } = await ask(api.POST("/sign-in/outside", { body: { link } }));
    location.assign(address);
    return "";
  } catch (error) {
    return (error as Refusal).message;
  }
}
