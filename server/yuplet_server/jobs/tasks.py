"""The door to the task queue: Django's Tasks interface, so that another backend needs only another setting."""

from django_tasks import task

from yuplet_server.jobs import actions


@task()
def run_job(job_id: int) -> None:
    """Do a job that waits."""
    actions.run(job_id)
