"""The views of history and search."""

from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response

from keepsort.server.api import writing
from keepsort.server.api.asking import LOOKED, PATH, View, number_of, path_of, seen
from keepsort.server.api.shapes.derived import answer, shape_of
from keepsort.server.api.shapes.history import (
    FoundAnswer,
    HistoryAnswer,
    HitAnswer,
    MomentAnswer,
    SinceAnswer,
)
from keepsort.server.history.feeding import catch_up, is_behind, is_light
from keepsort.server.history.reading import Moment, history, since
from keepsort.server.history.searching import Hit, search
from keepsort.server.snapshots.models import Record
from keepsort.server.systems.models import System


class CompareHistory(View):
    """When the object that is shown changed, and since when it is as it is."""

    @extend_schema(
        operation_id="history", parameters=[*LOOKED, PATH], responses=shape_of(HistoryAnswer)
    )
    def get(self, request: Request) -> Response:
        """Return the versions of an object, and since when each differing attribute differs."""
        found = seen(request)
        system = found.right.system if found.left.system.is_file else found.left.system
        behind = _behind(system)
        path = path_of(request)
        at = found.all.at(path)
        left = at[0].left if at else found.all.left.find(path)
        right = at[0].right if at else found.all.right.find(found.all.live_path(path))
        node = left or right
        if node is None:
            return answer(HistoryAnswer(behind=behind, moments=[], since=[]))
        tree = found.all.left
        moments = history(system, node.path, node.entry.identity, tree)
        names = sorted({name for d in at for name in d.attributes} - {"kind"})
        now = found.all.right.object(right) if right else None
        until = found.right if found.right.kind == Record.Kind.BACKUP else None
        return answer(
            HistoryAnswer(
                behind=behind,
                moments=[_moment(m) for m in moments],
                since=[
                    SinceAnswer(
                        attribute=s.attribute,
                        record=writing.brief(s.record) if s.record else None,
                        after=writing.brief(s.after) if s.after else None,
                    )
                    for s in since(moments, now, names, until)
                ],
            )
        )


class Search(View):
    """Finding objects in all backups."""

    @extend_schema(
        operation_id="search",
        parameters=[
            OpenApiParameter("text", OpenApiTypes.STR, required=True),
            OpenApiParameter("system", OpenApiTypes.INT),
            OpenApiParameter("only", OpenApiTypes.STR, enum=["present", "gone"]),
        ],
        responses=shape_of(FoundAnswer),
    )
    def get(self, request: Request) -> Response:
        """Find objects by part of a name, a path, a kind, or words of their values."""
        number = number_of(request, "system", 0)
        systems = System.objects.filter(pk=number) if number else System.objects.all()
        behind = [s.name for s in systems if _behind(s)]
        only = request.query_params.get("only")
        found = search(
            request.query_params.get("text", ""),
            system=systems.first() if number else None,
            gone={"present": False, "gone": True}.get(only or ""),
        )
        return answer(
            FoundAnswer(
                hits=[_hit(h) for h in found.hits],
                more=found.more,
                behind=behind,
                unsure=found.unsure,
            )
        )


def _behind(system: System) -> bool:
    """Let the index catch up where that is quick; tell whether it is still behind."""
    if not is_behind(system):
        return False
    if not is_light(system):
        return True
    catch_up(system)
    return False


def _moment(found: Moment) -> MomentAnswer:
    return MomentAnswer(
        record=writing.brief(found.record),
        until=writing.brief(found.until) if found.until else None,
        state=found.state,
        attributes=found.attributes,
        path=found.path,
    )


def _hit(found: Hit) -> HitAnswer:
    return HitAnswer(
        system=found.system,
        system_name=found.system_name,
        path=found.path,
        written=found.written,
        name=found.name,
        kind_label=found.kind_label,
        record=writing.brief(found.record) if found.record else None,
        first=writing.brief(found.first) if found.first else None,
        backups=found.backups,
        now=found.now,
        told_by=writing.brief(found.told_by),
        differing=found.differing,
        where=found.where,
    )
