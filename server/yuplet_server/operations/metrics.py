"""Figures for Prometheus (https://prometheus.io/docs/instrumenting/exposition_formats/): requests, jobs, workers and the disk."""

import os
import shutil
import time
from collections.abc import Callable, Iterable

from django.conf import settings
from django.db.models import Count, Min
from django.http import HttpRequest, HttpResponse
from django.utils import timezone
from prometheus_client import REGISTRY, CollectorRegistry, Counter, Histogram, generate_latest
from prometheus_client.core import GaugeMetricFamily, Metric
from prometheus_client.multiprocess import MultiProcessCollector
from prometheus_client.registry import Collector

from yuplet_server.jobs.models import Job, Worker

REQUESTS = Counter("yuplet_requests", "Requests that were answered.", ["method", "route", "status"])
SECONDS = Histogram(
    "yuplet_request_seconds",
    "Seconds until a request was answered.",
    ["route"],
    buckets=(0.01, 0.03, 0.1, 0.3, 1.0, 3.0, 10.0, 30.0),
)


class Counted:
    """Counts every request by the address that it matches; what matches none is counted together, so that strangers make no new figures."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self._get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        began = time.monotonic()
        response = self._get_response(request)
        route = request.resolver_match.route if request.resolver_match else "none"
        method = request.method if request.method in ("GET", "POST", "PUT", "PATCH", "DELETE") else "other"
        REQUESTS.labels(method, route, response.status_code).inc()
        SECONDS.labels(route).observe(time.monotonic() - began)
        return response


class _Now(Collector):
    """What is looked up when it is asked for."""

    def collect(self) -> Iterable[Metric]:
        jobs = GaugeMetricFamily("yuplet_jobs", "Long work, by kind and state.", labels=["kind", "state"])
        known = {
            (row["kind"], row["state"]): row["count"]
            for row in Job.objects.values("kind", "state").annotate(count=Count("id"))
        }
        for kind in Job.Kind.values:
            for state in Job.State.values:
                jobs.add_metric([kind, state], known.get((kind, state), 0))
        yield jobs
        now = timezone.now()
        oldest = Job.objects.filter(state=Job.State.WAITING).aggregate(at=Min("created_at"))["at"]
        waits = 0.0 if oldest is None else (now - oldest).total_seconds()
        yield GaugeMetricFamily("yuplet_queue_oldest_seconds", "For how long the oldest waiting job waits.", waits)
        workers = GaugeMetricFamily(
            "yuplet_worker_silence_seconds", "For how long a worker has said nothing.", labels=["worker"]
        )
        for worker in Worker.objects.all():
            workers.add_metric([worker.name], (now - worker.seen_at).total_seconds())
        yield workers
        disk = shutil.disk_usage(settings.VAR)
        yield GaugeMetricFamily("yuplet_disk_free_bytes", "Bytes that are free on the disk of the data.", disk.free)
        yield GaugeMetricFamily("yuplet_disk_bytes", "Bytes that the disk of the data has.", disk.total)


def text() -> bytes:
    """All figures, those of requests of all web processes together."""
    registry = CollectorRegistry()
    if "PROMETHEUS_MULTIPROC_DIR" in os.environ:
        MultiProcessCollector(registry)  # type: ignore[no-untyped-call]
    else:
        registry.register(REGISTRY)
    registry.register(_Now())
    return generate_latest(registry)
