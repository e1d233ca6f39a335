"""The manifest as a page for people."""

from typing import Any


def page_of(manifest: dict[str, Any]) -> str:
    """The manifest as a page that needs nothing besides itself."""
    from jinja2 import Environment

    environment = Environment(autoescape=True, trim_blocks=True, lstrip_blocks=True)
    environment.filters["thousands"] = lambda value: f"{value:,}"
    environment.filters["points"] = lambda value: "none" if value is None else f"{100.0 * value:.1f} points"
    return environment.from_string(_TEMPLATE).render(manifest=manifest, called=_called(manifest))


def _called(manifest: dict[str, Any]) -> dict[str, str]:
    return {row: manifest["segments"].get(row, row) for row in manifest["waterfall"]["customers"]}


_TEMPLATE = """<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<title>Hand-off: {{ manifest.campaign }}</title>
<style>
body { font: 15px/1.5 system-ui, sans-serif; color: #26303a; margin: 2.5rem auto; max-width: 76rem; padding: 0 1.5rem; }
h1 { font-size: 1.6rem; margin: 0 0 .2rem; }
h2 { font-size: 1.1rem; margin: 2rem 0 .5rem; }
p { margin: .3rem 0; max-width: 60rem; }
.quiet { color: #5d6872; }
.wide { overflow-x: auto; }
table { border-collapse: collapse; font-variant-numeric: tabular-nums; }
th, td { padding: .3rem .8rem .3rem 0; text-align: right; border-bottom: 1px solid #e3e7ea; vertical-align: bottom; }
th:first-child, td:first-child, td.text, th.text { text-align: left; }
tr.all td { font-weight: 600; border-top: 2px solid #26303a; }
td.last { font-weight: 600; }
code { font-size: .85em; word-break: break-all; }
</style>
</head>
<body>
{% set all = manifest.waterfall.customers['all'] %}
<h1>{{ manifest.campaign }}: {{ all.contacted|thousands }} of {{ all.everyone|thousands }} customers to be
contacted</h1>
<p class="quiet">Handed off {{ manifest.made_at }} by {{ manifest.made_by }}{% if manifest.model %}, segments of the
model <code>{{ manifest.model[:16] }}</code>{% endif %}. {{ all.holdout|thousands }} are held out to measure by.</p>
<h2>From everyone to contacted</h2>
<p>Everyone leaves at the first step that applies; each row adds up.</p>
<div class="wide"><table>
<tr><th>segment</th>{% for step in manifest.waterfall.steps %}<th>{{ step }}</th>{% endfor %}</tr>
{% for row, counts in manifest.waterfall.customers.items() %}
<tr{% if row == 'all' %} class="all"{% endif %}><td>{{ called[row] }}</td>
{% for step in manifest.waterfall.steps %}
<td{% if loop.last %} class="last"{% endif %}>{{ counts[step]|thousands }}</td>
{% endfor %}
</tr>
{% endfor %}
</table></div>
<h2>What the holdout can show</h2>
<p>The smallest uplift that would be found in {{ (100 * manifest.power.power)|int }} of 100 such campaigns, from a
response of {{ '%.1f'|format(100 * manifest.power.base_rate) }} % without the campaign.</p>
<table>
<tr><th>segment</th><th>contacted</th><th>holdout</th><th>smallest uplift</th></tr>
{% for one in manifest.holdouts %}
<tr><td>{{ one.name }}</td><td>{{ one.contacted|thousands }}</td><td>{{ one.holdout|thousands }}</td>
<td>{{ one.smallest_uplift|points }}</td></tr>
{% endfor %}
</table>
<h2>Rules</h2>
<p>Consent: {{ manifest.settings.consent }}. Address: {{ manifest.settings.address or 'none needed' }}.
Fewest customers of a segment: {{ manifest.settings.min_size }}.
Holdout: {{ '%.1f'|format(100 * manifest.settings.holdout) }} %, by a hash of
campaign, seed ({{ manifest.settings.seed }}) and key.</p>
<p>Duplicates: {{ manifest.rules.duplicates }} A refusal binds
{{ 'everyone who shares the address' if manifest.settings.refusal_binds == 'person' else 'only who refused' }}.</p>
{% set list = manifest.settings.suppression %}
<p>Suppression: {{ list.read|thousands }} entries read, {{ list.matched|thousands }} match somebody,
{{ list.nobody|thousands }} nobody, {{ list.unreadable|thousands }} could not be read.</p>
{% if manifest.rules.match %}
<p>Match files: {{ manifest.rules.match }}
{% for kind, lacking in manifest.without_usable_address.items() %}
{{ lacking|thousands }} of the contacted have no usable {{ kind }}.
{% endfor %}
</p>
{% endif %}
<h2>Files</h2>
<table>
<tr><th>file</th><th>rows</th><th class="text">columns</th><th class="text">SHA-256</th></tr>
{% for file in manifest.files %}
<tr><td>{{ file.name }}</td><td>{{ file.rows|thousands }}</td><td class="text">{{ file.columns|join(', ') }}</td>
<td class="text"><code>{{ file.sha256 or 'a table of the database' }}</code></td></tr>
{% endfor %}
</table>
</body>
</html>
"""
