import { expect, test } from "vitest";
import { ApiError } from "./client";

test("what the server could not do names the request, and what was refused does not", () => {
  const problem = { detail: "nothing was changed", request: "night-47" };
  expect(new ApiError(problem, 500).message).toBe("nothing was changed (request night-47)");
  expect(new ApiError(problem, 409).message).toBe("nothing was changed");
});
