import { afterEach, beforeEach, expect, it, vi } from "vitest";
import { OpenedFiles } from "../../src/visit/opened-files";

const running = new Set<string>();
const letGo = vi.fn();
let files: OpenedFiles;
beforeEach(() => {
  vi.useFakeTimers();
  running.clear();
  letGo.mockClear();
  files = new OpenedFiles({ runs: (setting) => running.has(setting), changed: () => undefined, letGo });
});
afterEach(() => {
  vi.useRealTimers();
});

/** Opens a file in a program. Returns what its environment holds. */
function open(name: string, folder = "a"): string {
  const given = files.begin(folder, name);
  files.started(given);
  const [[key, value] = expect.fail()] = Object.entries(given);
  const setting = `${key}=${value}`;
  running.add(setting);
  return setting;
}
const after = (seconds: number): void => void vi.advanceTimersByTime(seconds * 1000);
const programs = (folder = "a"): string[] => files.of(folder).map(({ name, program }) => `${name} ${program}`);

it("a program that runs on has the file; when the last one of a folder has ended, that is told once", () => {
  const [letter, list] = [open("letter.txt"), open("list.ods")];
  open("of another folder", "b");
  after(5);
  expect(programs()).toEqual(["letter.txt starting", "list.ods starting"]);
  after(6);
  expect(programs()).toEqual(["letter.txt running", "list.ods running"]);
  running.delete(letter);
  after(1);
  expect([programs(), letGo.mock.calls]).toEqual([["list.ods running"], []]);
  running.delete(list);
  after(5);
  expect([programs(), letGo.mock.calls]).toEqual([[], [["a"]]]);
  expect(programs("b")).toEqual(["of another folder running"]);
});

it("of one that ends at once nothing is known: it has handed the file on, and nothing is told of its end", () => {
  running.delete(open("letter.txt"));
  const list = open("list.ods");
  after(2);
  expect(programs()).toEqual(["letter.txt starting", "list.ods starting"]);
  after(9);
  running.delete(list);
  after(60);
  expect([programs(), letGo.mock.calls]).toEqual([["letter.txt unknown"], []]);
});

it("as long as the desktop has not begun a program, it is starting", () => {
  const given = files.begin("a", "letter.txt");
  after(60);
  expect(programs()).toEqual(["letter.txt starting"]);
  files.started(given);
  after(11);
  expect(programs()).toEqual(["letter.txt unknown"]);
});

it("what no program took, and what was open when the visit ended, is forgotten", () => {
  files.drop(files.begin("a", "refused.txt"));
  open("letter.txt");
  expect(programs()).toEqual(["letter.txt starting"]);
  after(11);
  files.forget("a");
  running.clear();
  after(60);
  expect([programs(), letGo.mock.calls, vi.getTimerCount()]).toEqual([[], [], 0]);
});
