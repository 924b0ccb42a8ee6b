"""Figures over a take's frames, added up in the database."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from sqlalchemy import text
from sqlalchemy.orm import Session

OVER_FRAMES = text(
    """
    select take_id, garment, count(*) as frames, min(frame) as first, max(frame) as last,
      max((record #>> '{stretch,p99}')::float) filter (where delivered) as worst_stretch,
      max(worst) filter (where delivered) as worst_edge,
      (array_agg(frame order by worst desc) filter (where delivered))[1] as worst_edge_frame,
      (array_agg(overstretch ->> 'with' order by worst desc) filter (where delivered))[1] as worst_edge_near,
      count(overstretch) filter (where delivered) as overstretched,
      (array_agg(record -> 'shows_through' order by frame) filter (where delivered))[1] as bodies,
      count(*) filter (where delivered and met is not null) as body_shows,
      max(met) filter (where delivered) as body_shows_area,
      count(*) filter (where delivered and left_out is not null) as left_out_shows,
      max(left_out) filter (where delivered) as left_out_area,
      count(*) filter (where delivered and (record #>> '{intersections,in_the_body}')::int > 0) as in_the_body,
      count(*) filter (where delivered and (record #>> '{intersections,through_itself}')::int > 0)
        as through_itself,
      count(*) filter (where delivered and (record #>> '{intersections,through_another}')::int > 0)
        as through_another,
      count(*) filter (where delivered and jsonb_path_exists(record, '$.snags[*] ? (@.kind == "pinched")'))
        as pinched,
      (array_agg(record -> 'snags' order by frame desc) filter (where not delivered))[1] as start_snags,
      max(frame) filter (where not delivered) as start_frame,
      percentile_cont(0.5) within group (order by ms) filter (where substeps > 0) as median_ms
    from (
      select take_id, garment, frame, record, (record ->> 'delivered')::bool as delivered,
        (record ->> 'substeps')::int as substeps,
        (record #>> '{stretch,worst}')::float as worst,
        jsonb_path_query_first(record, '$.snags[*] ? (@.kind == "overstretch")') as overstretch,
        (select 1e-4 * sum((one ->> 'area_cm2')::float) from jsonb_path_query(record,
          '$.shows_through[*] ? (@.left_out == false && (@.crossings > 0 || @.area_cm2 > 0))') as one) as met,
        (select 1e-4 * sum((one ->> 'area_cm2')::float) from jsonb_path_query(record,
          '$.shows_through[*] ? (@.left_out == true && (@.crossings > 0 || @.area_cm2 > 0))') as one)
          as left_out,
        (select sum(value::float) from jsonb_each_text(record -> 'milliseconds')) as ms
      from frames where take_id = any(:takes)
    ) as each_frame
    group by take_id, garment order by take_id, garment
    """
)
BYTES = text(
    """
    select take_id, sum(bytes)::bigint as bytes from (
      select frames.take_id, blobs.size as bytes from frames join blobs using (sha)
        where frames.take_id = any(:takes)
      union all
      select take_id, length(data) from checkpoints where take_id = any(:takes)
    ) as pieces group by take_id
    """
)


def over_frames(session: Session, take_ids: Sequence[int]) -> dict[int, list[dict[str, Any]]]:
    """Per take, a summary for each garment that has frames."""
    out: dict[int, list[dict[str, Any]]] = {}
    for row in session.execute(OVER_FRAMES, {"takes": list(take_ids)}).mappings():
        values = dict(row)
        values["bodies"] = list(dict.fromkeys(one["of"] for one in values["bodies"] or []))
        out.setdefault(values.pop("take_id"), []).append(values)
    return out


def bytes_of(session: Session, take_ids: Sequence[int]) -> dict[int, int]:
    """Bytes that each take's frames and checkpoints hold."""
    return {row.take_id: int(row.bytes) for row in session.execute(BYTES, {"takes": list(take_ids)})}


def bytes_used(session: Session) -> int:
    """Bytes of the whole database on disk."""
    return int(session.scalar(text("select pg_database_size(current_database())")) or 0)
