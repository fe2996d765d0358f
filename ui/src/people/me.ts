import { defineStore } from "pinia";
import { computed, ref } from "vue";
import { api, ask, whenUnknown, type Schema } from "../api/client";

/** Who works in this browser, where there are several people. */
export const useMe = defineStore("me", () => {
  const me = ref<Schema["Me"]>();
  /** Whoever had signed in is not known any more: their session has ended, and what is on its way waits. */
  const lost = ref(false);
  const people = computed(() => me.value?.people ?? false);
  const person = computed(() => me.value?.person);
  let asked: Promise<void> | undefined;

  /** Finds out who it is, once. While the server does not answer, it is taken that there is one person. */
  function load(): Promise<void> {
    return (asked ??= ask(api.GET("/me")).then(set, () => (asked = undefined)));
  }

  function set(to: Schema["Me"]): void {
    me.value = to;
    lost.value = false;
  }

  /** Ends this session, or all of one's own. What was on the page is left by who calls. */
  async function signOut(everywhere: boolean): Promise<void> {
    await ask(everywhere ? api.POST("/me/sessions/end") : api.POST("/sign-out"));
    me.value = { ...me.value!, person: undefined, signIn: undefined, begins: false };
  }

  whenUnknown(() => person.value && (lost.value = true));

  return { me, people, person, lost, load, set, signOut };
});
