"""The front server: nginx on the address that people use, before the application, so that nobody holds the door.

It reads requests whole before it hands them on, keeps large bodies under var/, gives up on whoever is too slow, and asks the
application who may upload before it reads a byte of an upload.
"""

import os
import shutil
import subprocess
from pathlib import Path

import certifi

from database import CannotStart, child
from yuplet_server.project.environment import value

JSON = 4 << 20
"""Bytes of a request that is no upload; the application has the same limit."""
NOBODY = 16 << 10
"""Bytes of a request without a session."""
UPLOAD = (2 << 30) + (1 << 20)
MOVE_IN = (16 << 30) + (1 << 20)

UPLOADS = "^/api/(projects/[0-9]+/illustrations|illustrations/[0-9]+/(revisions|pictures|rehearsals/outside)|rehearsals/[0-9]+/missing)$"
"""Addresses that take files; every one of the application's that does is among them (server/tests/test_front.py)."""

_CONFIG = """\
daemon off;
{user}
worker_processes 2;
worker_rlimit_nofile 16384;
pid {run}/front.pid;
error_log {log} warn;
events {{ worker_connections 8192; }}
http {{
  access_log off;
  server_tokens off;
  default_type application/octet-stream;
  client_body_temp_path {tmp}/body;
  proxy_temp_path {tmp}/proxy;
  fastcgi_temp_path {tmp}/other;
  uwsgi_temp_path {tmp}/other;
  scgi_temp_path {tmp}/other;

  # Deadlines: for a whole header, between two pieces of a body, for whoever does not take the answer, for idle connections.
  client_header_timeout 10s;
  client_body_timeout 20s;
  send_timeout 60s;
  keepalive_timeout 30s;
  reset_timedout_connection on;
  lingering_time 5s;
  lingering_timeout 2s;
  large_client_header_buffers 4 16k;
  limit_conn_zone $binary_remote_addr zone=each:10m;
  limit_conn each 2000;
  limit_conn_status 429;
  proxy_max_temp_file_size 4096m;
  proxy_connect_timeout 5s;
  proxy_read_timeout 130s;
  proxy_http_version 1.1;
  proxy_set_header Connection "";
  proxy_set_header Host $http_host;
  proxy_set_header X-Forwarded-For $remote_addr;
  proxy_set_header X-Forwarded-Proto $asked_by;
  proxy_set_header X-Sends-Files yes;
  sendfile on;

  # Who asks, and whether by https, is told by the machines before ours, where there are any, and by nobody else.
{machines}
  geo $realip_remote_addr $is_front {{ default 0; {believed}}}
  map "$is_front:$http_x_forwarded_proto" $asked_by {{ default $scheme; "1:https" https; }}

  map $cookie_sessionid $is_nobody {{ "" 1; default 0; }}
  upstream application {{ server unix:{run}/web.sock max_fails=0; keepalive 16; keepalive_timeout 30s; }}
  upstream streams {{ server unix:{run}/streams.sock max_fails=0; }}

  server {{
    listen {listen};
{certificate}
    server_name _;
    client_max_body_size {json};
{errors}
    # Kept files, which the application only names; what it says of them goes along.
    location /kept/ {{
      internal;
      alias "{blobs}/";
      add_header Content-Security-Policy $upstream_http_content_security_policy always;
      add_header X-Content-Type-Options nosniff always;
      add_header Referrer-Policy $upstream_http_referrer_policy always;
      add_header X-Request-Id $upstream_http_x_request_id always;
      add_header X-Frame-Options $upstream_http_x_frame_options always;
      add_header Strict-Transport-Security $upstream_http_strict_transport_security always;
    }}

{store}
    # What is told as it happens; a page holds it open for as long as it is looked at.
    location ~ ^/api/illustrations/[0-9]+/events$ {{
      proxy_buffering off;
      proxy_read_timeout 60s;
      proxy_pass http://streams;
    }}

    location / {{
      if ($is_nobody) {{ rewrite ^ /nobody$uri last; }}
      proxy_pass http://application;
    }}
    # Sizes are looked at when a location is found, and so in one of its own.
    location /nobody/ {{
      internal;
      client_max_body_size {nobody};
      rewrite ^/nobody(.*)$ $1 break;
      proxy_pass http://application;
    }}

    # Uploads: asked about first, read to the disk by this server, and then handed on.
    location ~ {uploads} {{
      auth_request /api/may-upload;
{errors}
      error_page 401 = @sign_in;
      error_page 403 = @no_room;
      client_max_body_size {upload};
      client_body_timeout 60s;
      proxy_read_timeout 600s;
      proxy_pass http://application;
    }}
    location = /api/projects/move-in {{
      auth_request /api/may-upload;
{errors}
      error_page 401 = @sign_in;
      error_page 403 = @no_room;
      client_max_body_size {move_in};
      client_body_timeout 60s;
      proxy_read_timeout 3600s;
      proxy_pass http://application;
    }}
    location = /api/may-upload {{
      internal;
      client_max_body_size 0;
      proxy_pass_request_body off;
      proxy_set_header Content-Length "";
      proxy_set_header Content-Type "";
      proxy_set_header Connection "";
      proxy_set_header Host $http_host;
      proxy_set_header X-Forwarded-For $remote_addr;
      proxy_set_header X-Forwarded-Proto $asked_by;
      proxy_set_header X-Upload-Length $content_length;
      proxy_pass http://application;
    }}

    location @sign_in {{ internal; default_type application/json; return 403 '{{"code":"refused","detail":"Sign in first. Nothing was kept."}}'; }}
    location @no_room {{ internal; default_type application/json; return 507 '{{"code":"no-room","detail":"The disk of the server has no room for this file. Nothing was kept. Ask whoever looks after it to make room, and try again."}}'; }}
    location @too_large {{ internal; default_type application/json; return 413 '{{"code":"too-large","detail":"This is larger than the server takes. Nothing was kept. Make it smaller, or bring it in by pieces."}}'; }}
    location @too_many {{ internal; default_type application/json; return 429 '{{"code":"too-many","detail":"There are too many connections from your address. Close some and try again."}}'; }}
    location @away {{ internal; default_type application/json; return 503 '{{"code":"away","detail":"The server is starting or very busy. Nothing was changed. Try again in a moment."}}'; }}
  }}
}}
"""


# What the application says of a file is kept: in the answer of the store it would be lost.
_STORE = """
    # The same of files in a store on other machines, which takes only what the application has signed.
    location /store/ {{
      internal;
      set $policy $upstream_http_content_security_policy;
      set $referrer $upstream_http_referrer_policy;
      set $number $upstream_http_x_request_id;
      set $frame $upstream_http_x_frame_options;
      set $transport $upstream_http_strict_transport_security;
      add_header Content-Security-Policy $policy always;
      add_header X-Content-Type-Options nosniff always;
      add_header Referrer-Policy $referrer always;
      add_header X-Request-Id $number always;
      add_header X-Frame-Options $frame always;
      add_header Strict-Transport-Security $transport always;
      proxy_method GET;
      proxy_pass_request_headers off;
      proxy_pass_request_body off;
      proxy_set_header Host $proxy_host;
      proxy_set_header Connection "";
      proxy_set_header Content-Length "";
      proxy_set_header Range $http_range;
      proxy_set_header If-Range $http_if_range;
      proxy_hide_header Cache-Control;
      proxy_hide_header Content-Disposition;
      proxy_hide_header Set-Cookie;
      proxy_ignore_headers X-Accel-Redirect X-Accel-Expires X-Accel-Limit-Rate X-Accel-Buffering X-Accel-Charset;
{trust}
      proxy_intercept_errors on;
      error_page 400 401 403 404 429 500 502 503 504 = @store_away;
      proxy_pass {address}/;
    }}
    location @store_away {{ internal; default_type application/json; return 503 '{{"code":"store-away","detail":"The store of files does not answer right now. Nothing was changed; try again in a moment."}}'; }}
"""


_TRUST = """
      proxy_ssl_server_name on;
      proxy_ssl_verify on;
      proxy_ssl_verify_depth 5;
      proxy_ssl_trusted_certificate "{authorities}";"""


def _trust(store: str) -> str:
    """Whom the front server believes that it is the store: the same as the application does."""
    authorities = os.environ.get("AWS_CA_BUNDLE") or certifi.where()
    return _TRUST.format(authorities=authorities) if store.startswith("https:") else ""


_CERTIFICATE = """\
    ssl_certificate "{certificate}";
    ssl_certificate_key "{key}";
    ssl_protocols TLSv1.2 TLSv1.3;
    ssl_session_cache shared:tls:4m;
    error_page 497 =301 https://$http_host$request_uri;"""


# A location with pages of its own for errors has no others.
_ERRORS = """\
    error_page 413 = @too_large;
    error_page 429 = @too_many;
    error_page 502 504 = @away;"""


def front(folder: Path, run: Path, host: str, port: int) -> list[str]:
    """Write the configuration and answer the command that runs it. Raises `CannotStart`."""
    certificate, key, machines = (
        value(f"YUPLET_{name}") for name in ("CERTIFICATE", "CERTIFICATE_KEY", "FRONT_MACHINES")
    )
    store = value("YUPLET_STORE_ADDRESS").rstrip("/")
    where = f"[{host}]:{port}" if ":" in host else f"{host}:{port}"
    server = shutil.which("nginx") or shutil.which("nginx", path="/usr/sbin")
    if server is None:
        raise CannotStart("nginx is missing. Install Debian's package 'nginx'.")
    tmp = folder / "front"
    shutil.rmtree(tmp, ignore_errors=True)  # what a killed run left half read
    for name in ("body", "proxy", "other"):
        (tmp / name).mkdir(parents=True)
    config = folder / "front.conf"
    config.write_text(
        _CONFIG.format(
            user="user root;" if os.geteuid() == 0 else "",
            run=run,
            log=folder / "front.log",
            tmp=tmp,
            blobs=folder / "blobs",
            listen=f"{where} ssl" if certificate else where,
            certificate=_CERTIFICATE.format(certificate=certificate, key=key) if certificate else "",
            machines="\n".join(
                ["  real_ip_header X-Forwarded-For;", *(f"  set_real_ip_from {one};" for one in machines)]
            ),
            believed="".join(f"{one} 1; " for one in machines),
            store=_STORE.format(address=store, trust=_trust(store)) if store else "",
            errors=_ERRORS,
            json=JSON,
            nobody=NOBODY,
            uploads=UPLOADS,
            upload=UPLOAD,
            move_in=MOVE_IN,
        )
    )
    command = [server, "-e", str(folder / "front.log"), "-p", str(tmp), "-c", str(config)]
    checked = subprocess.run([*command, "-t", "-q"], capture_output=True, text=True, check=False, **child())
    if checked.returncode != 0:
        raise CannotStart(f"The front server does not take its configuration:\n{checked.stderr[-600:]}")
    return command
