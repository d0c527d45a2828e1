/** A new reel: named by the person, made, and opened. */
import { api } from "../lib/api";
import { asking } from "../lib/asking.svelte";
import { notes } from "../lib/notes.svelte";

/** shots: those that lie in it, in order. */
export async function newReel(project: number, shots: number[]): Promise<void> {
  const name = await asking.name("A new reel", "", "Make it");
  if (name) await openedReel(project, name, shots);
}

export async function openedReel(project: number, name: string, shots: number[]): Promise<void> {
  try {
    location.hash = `#/shot/${(await api.newReel(project, name, shots)).id}`;
  } catch (error) {
    notes.fault(error);
  }
}
