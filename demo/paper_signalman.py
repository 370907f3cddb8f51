"""The paper signalman: a jointed figure for tests, whose joints are known. Limbs have round ends about the places where they turn."""

SHOULDER, ELBOW, HIP = (140.0, 110.0), (200.0, 130.0), (110.0, 230.0)
"""Where the left arm turns on the body, the lower arm on the upper one, and the left leg on the body."""

SVG = b"""<svg xmlns="http://www.w3.org/2000/svg" width="300" height="360">
  <g id="left-leg"><title>leg left</title>
    <path id="leg" d="M110 230 L110 330" stroke="#3a3f58" stroke-width="30" stroke-linecap="round"/></g>
  <rect id="body" x="60" y="90" width="100" height="160" rx="12" fill="#2f6f73"/>
  <circle id="head" cx="110" cy="60" r="40" fill="#e7d7b8"/>
  <g id="arm-left"><title>arm left</title>
    <path id="upper" d="M140 110 L200 130" stroke="#255a5e" stroke-width="24" stroke-linecap="round"/>
    <path id="lower" d="M200 130 L260 130" stroke="#1d484b" stroke-width="20" stroke-linecap="round"/></g>
  <g id="arm-right"><title>arm right</title>
    <path id="upper-2" d="M80 110 L30 140" stroke="#255a5e" stroke-width="24" stroke-linecap="round"><title>upper</title></path></g>
  <rect id="badge_L" x="84" y="120" width="14" height="14" fill="#d9a441"/>
  <path id="flag-1" d="M250 60 h40 v24 h-40z" fill="#c0392b"/>
  <path id="flag-2" d="M250 90 h40 v24 h-40z" fill="#f1c40f"/>
</svg>"""
