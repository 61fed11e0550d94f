import { Button } from "antd";
import { Link } from "react-router";
import { deliveryUrl, type Picture } from "../../api/client";
import { Copy } from "./Markup";

/** One address for systems that take no markup: each request gets the file that suits it. */
export function Address({ picture, slot, made }: { picture: Picture; slot: string; made: boolean }) {
  const address = deliveryUrl(picture.id, slot);
  return (
    <section className="markup" aria-label="Address">
      <div className="row">
        <b>Address</b>
        {picture.is_public ? (
          <>
            <Copy text={address} words="Copy address" />
            <span className="soft">
              {made ? "the best file for each browser and density" : "answers once files are made"}
            </span>
          </>
        ) : (
          <>
            <Button size="small" disabled title="Only public pictures are delivered by address">
              Copy address
            </Button>
            <span className="soft">
              not public: <Link to={`/library/${picture.id}`}>change that in its description</Link>
            </span>
          </>
        )}
      </div>
      {picture.is_public && <pre data-testid="address">{address}</pre>}
    </section>
  );
}
