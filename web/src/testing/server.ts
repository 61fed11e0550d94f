/** A server that answers in the test itself: what is asked, and what it says, are the test's. */
import { afterEach, beforeEach, vi } from "vitest";

export interface Asked {
  method: string;
  path: string;
  query: URLSearchParams;
  body: unknown;
  /** Whether it is sent even when the page goes. */
  keepalive: boolean;
}

type Answer = (asked: Asked) => Response | Promise<Response>;

// What the library's lists watch; nothing changes its size here.
globalThis.ResizeObserver = class {
  observe = vi.fn();
  unobserve = vi.fn();
  disconnect = vi.fn();
};

// As browsers have it, and this one lacks it.
Blob.prototype.text = function () {
  return new Promise((done) => {
    const reader = new FileReader();
    reader.onload = () => {
      done(reader.result as string);
    };
    reader.readAsText(this);
  });
};

const HERE = "http://127.0.0.1";
const nobody: Answer = ({ path }) => Response.json({ detail: `nobody answers at ${path}` }, { status: 404 });

let answer = nobody;
/** All that was asked in this test. */
export const asked: Asked[] = [];

/** From now on the server answers so. */
export function answers(next: Answer) {
  answer = next;
}

// The client takes hold of both when it is loaded, and speaks of addresses without a host.
const Plain = globalThis.Request;
globalThis.Request = class extends Plain {
  constructor(input: RequestInfo | URL, init?: RequestInit) {
    super(typeof input === "string" ? new URL(input, HERE) : input, init);
  }
};
globalThis.fetch = async (input, init) => {
  const request = new Request(input, init);
  const text = await request.text();
  const isJson = request.headers.get("content-type")?.includes("json") ?? true;
  const body: unknown = text && isJson ? JSON.parse(text) : text || undefined;
  const { pathname, searchParams } = new URL(request.url);
  const one = {
    method: request.method,
    path: pathname,
    query: searchParams,
    body,
    keepalive: init?.keepalive ?? request.keepalive,
  };
  asked.push(one);
  return answer(one);
};

beforeEach(() => {
  asked.length = 0;
});
afterEach(() => {
  answer = nobody;
});
