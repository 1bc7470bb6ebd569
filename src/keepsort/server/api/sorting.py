"""The views of Sort: two records compared, a level or an object at a time."""

from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response

from keepsort.server import reading
from keepsort.server.accounts.roles import MayLook
from keepsort.server.api import writing
from keepsort.server.api.asking import (
    LOOKED,
    PATH,
    View,
    number_of,
    path_of,
    read_rules,
    seen,
)
from keepsort.server.api.shapes.comparing import (
    CommonPathsAnswer,
    CompareHeadAnswer,
    FacetAnswer,
    FullRules,
    HiddenAnswer,
    LinesAnswer,
    ListAnswer,
    NeighboursAnswer,
    PastedShape,
    ShownListAnswer,
    ShownRowAnswer,
)
from keepsort.server.api.shapes.derived import answer, full, shape_of
from keepsort.server.api.shapes.records import AsideAnswer
from keepsort.server.files.standing import standing
from keepsort.server.problems import NotFound, Problem
from keepsort.server.snapshots.models import Record
from keepsort.server.snapshots.services import open_snapshot
from keepsort.server.sorting import levels
from keepsort.server.sorting.bench import Bench, bench, lines
from keepsort.server.sorting.branch import BranchTable, branch_table
from keepsort.server.sorting.comparing import hidden_by
from keepsort.server.sorting.in_common import CommonFound, common_paths, in_common
from keepsort.server.sorting.levels import Level
from keepsort.server.sorting.listing import keep_list
from keepsort.server.sorting.viewing import Seen, facets

_OUTLINE_ROWS = 400
_ASIDE_SHOWN = 50
_NEIGHBOURS = 20
_LINES = 1000
_TRIED_AT_ONCE = 20
_BRANCH_ROWS = 60
_PICKED_AT_ONCE = 5000


class CompareHead(View):
    """Two records compared, in sum."""

    @extend_schema(operation_id="compare", parameters=LOOKED, responses=shape_of(CompareHeadAnswer))
    def get(self, request: Request) -> Response:
        """Compare two records."""
        found = seen(request)
        schema = found.all.left.schema
        kinds, attributes = facets(found.all)
        mentions, aside = _of_file(found)
        return answer(
            CompareHeadAnswer(
                left=writing.record(found.left),
                right=writing.record(found.right),
                tally=found.tally,
                shown=len(found.shown.differences),
                same=found.all.same,
                hidden=len(found.all.hidden),
                at=found.all.top,
                top=schema.notation.write(found.all.top),
                covers=found.all.covers,
                kinds=[
                    FacetAnswer(name=k, label=schema.label(k), count=n)
                    for k, n in sorted(kinds.items(), key=lambda i: -i[1])
                ],
                attributes=[
                    FacetAnswer(name=a, label=a, count=n)
                    for a, n in sorted(attributes.items(), key=lambda i: -i[1])
                ],
                rules=full(FullRules, found.rules),
                alike=found.terms.likeness,
                missing=found.missing,
                missing_count=found.missing_count,
                not_kept=len(found.all.not_kept),
                mentions=mentions,
                aside=aside[:_ASIDE_SHOWN],
                aside_count=sum(one.count for one in aside),
            )
        )


def _of_file(found: Seen) -> tuple[int | None, list[AsideAnswer]]:
    """Return of how many objects an opened file tells, and what of it has no place here."""
    file, other = found.left, found.right
    if Record.Kind.FILE not in (file.kind, other.kind):
        return None, []
    if file.kind != Record.Kind.FILE:
        file, other = other, file
    aside = standing(file, other, found.terms.hangs).aside
    write = open_snapshot(file).schema.notation.write
    mentioned = found.all.mentioned
    told = [AsideAnswer(written=write(o.path), count=o.count, why=o.why) for o in aside]
    return len(mentioned) if mentioned is not None else None, told


class CompareOutline(View):
    """The merged tree, folded down to the differences."""

    @extend_schema(operation_id="outline", parameters=LOOKED, responses=shape_of(Level))
    def get(self, request: Request) -> Response:
        """Return the tree opened as far as it fits."""
        outline = levels.outline(seen(request).shown, _OUTLINE_ROWS)
        return answer(outline)


class CompareLevel(View):
    """One level of the merged tree."""

    @extend_schema(
        operation_id="level",
        parameters=[
            *LOOKED, PATH,
            OpenApiParameter("only", OpenApiTypes.STR, enum=["differences", "all"]),
            OpenApiParameter("start", OpenApiTypes.INT),
            OpenApiParameter("around", OpenApiTypes.STR, description="A name on the page."),
        ],
        responses=shape_of(Level),
    )  # fmt: skip
    def get(self, request: Request) -> Response:
        """Return one page of the rows right beneath a path."""
        level = levels.level(
            seen(request).shown, path_of(request),
            only_differences=request.query_params.get("only") != "all",
            start=number_of(request, "start", 0), limit=levels.PAGE_ROWS,
            around=request.query_params.get("around"),
        )  # fmt: skip
        return answer(level)


class CompareObject(View):
    """One object on both sides."""

    @extend_schema(operation_id="bench", parameters=[*LOOKED, PATH], responses=shape_of(Bench))
    def get(self, request: Request) -> Response:
        """Return an object attribute by attribute."""
        found = seen(request)
        shown = bench(found.all, path_of(request), found.rules)
        if shown is None:
            raise NotFound("Neither side has this object.", "Choose one in the tree.")
        return answer(shown)


class CompareBranch(View):
    """All that differs beneath a place."""

    @extend_schema(
        operation_id="branch",
        parameters=[*LOOKED, PATH, OpenApiParameter("start", OpenApiTypes.INT)],
        responses=shape_of(BranchTable),
    )
    def get(self, request: Request) -> Response:
        """Return a page of objects with what differs of them, without equal changes of several."""
        start = number_of(request, "start", 0)
        table = branch_table(seen(request), path_of(request), start, _BRANCH_ROWS)
        return answer(table)


class CompareLines(View):
    """Lines of a long text."""

    @extend_schema(
        operation_id="lines",
        parameters=[
            *LOOKED, PATH,
            OpenApiParameter("attribute", OpenApiTypes.STR, required=True),
            OpenApiParameter("side", OpenApiTypes.STR, enum=["left", "right"]),
            OpenApiParameter("start", OpenApiTypes.INT),
            OpenApiParameter("count", OpenApiTypes.INT),
        ],
        responses=shape_of(LinesAnswer),
    )  # fmt: skip
    def get(self, request: Request) -> Response:
        """Return some lines of a text of one side."""
        found = lines(
            seen(request).all, path_of(request), request.query_params.get("attribute", ""),
            request.query_params.get("side") != "right",
            number_of(request, "start", 0), min(number_of(request, "count", _LINES), _LINES),
        )  # fmt: skip
        return answer(LinesAnswer(lines=found))


class CompareNeighbours(View):
    """The next differences, or those before."""

    @extend_schema(
        operation_id="neighbours",
        parameters=[
            *LOOKED, PATH, OpenApiParameter("way", OpenApiTypes.STR, enum=["next", "previous"])
        ],
        responses=shape_of(NeighboursAnswer),
    )  # fmt: skip
    def get(self, request: Request) -> Response:
        """Return where they are, nearest first."""
        forward = request.query_params.get("way") != "previous"
        found = levels.neighbours(seen(request).shown, path_of(request), forward, _NEIGHBOURS)
        return answer(NeighboursAnswer(paths=found))


class CompareShown(View):
    """Everything that the filters let through, to be picked at once."""

    @extend_schema(operation_id="shown", parameters=LOOKED, responses=shape_of(ShownListAnswer))
    def get(self, request: Request) -> Response:
        """List the differences that are shown."""
        found = seen(request).shown.differences
        rows = [ShownRowAnswer(path=d.path, state=d.state) for d in found[:_PICKED_AT_ONCE]]
        return answer(ShownListAnswer(total=len(found), rows=rows))


class CompareHidden(View):
    """What rules would hide, before anybody uses them."""

    @extend_schema(
        operation_id="hidden_by",
        parameters=[*LOOKED, OpenApiParameter("each", OpenApiTypes.STR, required=True)],
        responses=shape_of(HiddenAnswer),
    )
    def get(self, request: Request) -> Response:
        """Count of how many objects each of some rules, a JSON list, would hide something."""
        found = seen(request)
        try:
            each = reading.json(request.query_params.get("each", ""))
        except ValueError:
            raise Problem("The rules to try are not written as JSON.") from None
        if not isinstance(each, list) or len(each) > _TRIED_AT_ONCE:
            raise Problem(f"The rules to try are no list of {_TRIED_AT_ONCE} at most.")
        if not all(isinstance(one, dict) for one in each):
            raise Problem("One of the rules to try is none.", "Start from Sort again.")
        hides = [hidden_by(found.left, found.right, found.terms, read_rules(one)) for one in each]
        return answer(HiddenAnswer(hides=hides))


class CompareCommon(View):
    """The same change in many objects."""

    @extend_schema(
        operation_id="common",
        parameters=[*LOOKED, PATH, OpenApiParameter("beneath", OpenApiTypes.STR, enum=["yes"])],
        responses=shape_of(CommonFound),
    )
    def get(self, request: Request) -> Response:
        """List changes that several objects have in common.

        With a path, those that the object there shares, or that objects beneath it have.
        """
        path = path_of(request) if "path" in request.query_params else None
        beneath = request.query_params.get("beneath") == "yes"
        return answer(in_common(seen(request), path, beneath))


class CompareCommonPaths(View):
    """Where objects are that have a change in common, to be picked at once."""

    @extend_schema(
        operation_id="common_paths",
        parameters=[*LOOKED, PATH, OpenApiParameter("number", OpenApiTypes.INT, required=True)],
        responses=shape_of(CommonPathsAnswer),
    )
    def get(self, request: Request) -> Response:
        """List the objects of one change in common, or those of them beneath a path."""
        found = common_paths(seen(request), number_of(request, "number", 0), path_of(request))
        paths = found[:_PICKED_AT_ONCE]
        return answer(CommonPathsAnswer(total=len(found), paths=paths))


class Lists(View):
    """Lists of names that people paste to filter by."""

    writers = MayLook

    @extend_schema(
        operation_id="paste_list", request=PastedShape, responses={201: shape_of(ListAnswer)}
    )
    def post(self, request: Request) -> Response:
        """Keep a pasted list or CSV."""
        data = PastedShape(data=request.data)
        data.is_valid(raise_exception=True)
        kept = keep_list(data.validated_data["text"])
        return answer(ListAnswer(id=kept.pk, lines=len(kept.lines)), status=201)
