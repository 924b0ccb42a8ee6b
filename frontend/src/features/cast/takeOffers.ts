import { useMutation, useQueryClient } from "@tanstack/react-query";
import type { Reading, Shot } from "../../api/client";
import { byReason, type Offer, takeOffer } from "../../domain/cast";
import { complain, readingOf, useEdit } from "../../state/queries";

const MOST = 10; // changes one after the other

/** Take several offers, one after the other. What is left is judged anew after each: one mistake explains others. */
export function useTakeOffers(shot: Shot, name: string) {
  const edit = useEdit(shot);
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (offers: readonly Offer[]) => {
      const taken = new Set<string>();
      let next: Offer | undefined = offers[0];
      for (let round = 0; next !== undefined && round < MOST; round += 1) {
        const offer: Offer = next;
        taken.add(offer.said);
        const changed = await edit.mutateAsync({ edit: (document) => takeOffer(document, name, offer) });
        const reading = await client.fetchQuery(readingOf(changed));
        next = singleOffers(reading, name).find((one) => !taken.has(one.said));
      }
    },
    onError: complain,
  });
}

/** What is offered for a member or garment and has no alternative. */
function singleOffers(reading: Reading, name: string): Offer[] {
  const offers = (reading.cast[name]?.judged.offers ?? reading.garments[name]?.offers ?? []) as Offer[];
  return byReason(offers).flatMap(([, ways]) => (ways.length === 1 ? ways : []));
}
