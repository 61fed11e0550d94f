import { Button } from "antd";

interface Props {
  /** Whether what is typed differs from what was said. */
  isChanged: boolean;
  loading: boolean;
  words?: string;
}

/** Saves a form where something was changed in it. */
export function SaveButton({ isChanged, loading, words = "Save" }: Props) {
  return isChanged ? (
    <Button type="primary" htmlType="submit" loading={loading}>
      {words}
    </Button>
  ) : (
    <Button disabled title="Nothing was changed">
      {words}
    </Button>
  );
}
