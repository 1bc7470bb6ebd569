"""Whether any worker process is there."""

from django.utils import timezone
from procrastinate.contrib.django.models import ProcrastinateWorker

#: Without a sign of life from any worker for so long, nothing that is asked for is done.
_SILENT_SECONDS = 35


def has_worker() -> bool:
    """Tell whether any worker process was heard of lately."""
    now = timezone.now()
    beats = ProcrastinateWorker.objects.values_list("last_heartbeat", flat=True)
    return any((now - beat).total_seconds() < _SILENT_SECONDS for beat in beats)
