"""A water works of 40 people: Spanish, a workbook of several sheets, dates as cells and as text, JSON, two surnames.

Planted: a reader who enters and approves the same reading; an operator whose contract ended and whose account was used
in May; a treasurer who alone may export bank data; a badly written status; totals; an empty sheet; a title on top.
"""

from __future__ import annotations

import json
from datetime import datetime
from pathlib import Path

import openpyxl

GIVEN = ("María José", "Íñigo", "Begoña", "Ángel", "Núria", "Xosé", "Lucía", "Óscar", "Ainhoa", "Raúl")
FAMILY = ("Peña Ibáñez", "García Núñez", "Múgica Sáenz", "Ríos Cañada", "Vázquez Ortín", "Güell Bosch", "Díez López")
UNITS = (("Explotación", "Operario", 18), ("Lecturas", "Lector", 10), ("Tesorería", "Administrativo", 7))
UNITS += (("Informática", "Técnico", 5),)
EXPECTED = {
    "Empleados": {
        "Matrícula": "id",
        "Correo electrónico": "email",
        "Unidad": "department",
        "Puesto": "title",
        "Jefe": "manager",
        "Fecha de alta": "starts",
        "Fecha de baja": "ends",
        "Situación": "status",
    },
    "Usuarios": {
        "Usuario": "login",
        "Nº empleado": "identity",
        "Último acceso": "last_login",
        "Bloqueado": "status",
        "Administrador": "privileged",
    },
    "Perfiles": {"Perfil": "role", "Acción": "action"},
    "Asignaciones": {"Válido desde": "from", "Hasta": "until", "Motivo": "reason"},
    "accesos.json": {"fechaHora": "time", "accion": "action", "expediente": "record"},
}
BUILT = {
    ("agua.xlsx", "Asignaciones", "grants"): ("holder", "gives"),
    ("agua.xlsx", "Perfiles", "role_permissions"): ("resource",),
    ("accesos.json", None, "activity"): ("account", "resource"),
    ("agua.xlsx", "Empleados", "identities"): ("name",),
}


def people() -> list[list[object]]:
    """The staff, a row each, as the sheet has them."""
    rows: list[list[object]] = []
    for unit, title, count in UNITS:
        head = f"E-{100 + len(rows)}"
        for at in range(count):
            number = len(rows)
            given, family = GIVEN[number % len(GIVEN)], FAMILY[(number * 3 + at) % len(FAMILY)]
            start = datetime(2005 + number % 18, 1 + number % 12, 1 + number % 28)
            rows.append(
                [
                    f"E-{100 + number}",
                    given,
                    family,
                    f"e{100 + number}@aguas-valle.example",
                    unit,
                    "Responsable" if at == 0 else title,
                    head if at else "E-128",
                    start if number % 2 else start.strftime("%d/%m/%Y"),
                    None,
                    "Activo",
                ]
            )
    rows[4][8:] = [datetime(2026, 4, 30), "Baja"]
    rows[7][9] = "En excedencia"
    rows[11][9] = "??"
    return rows


def login_of(row: list[object]) -> str:
    return f"u{str(row[0])[2:]}"


def write(folder: Path) -> list[Path]:
    """Writes the exports into a folder, which has to be there."""
    staff = people()
    book = openpyxl.Workbook()
    sheet = book.active
    sheet.title = "Empleados"
    sheet.append(["Aguas del Valle: plantilla a 1 de junio de 2026"])
    sheet.append([])
    names = ("Matrícula", "Nombre", "Apellidos", "Correo electrónico", "Unidad", "Puesto", "Jefe")
    sheet.append([*names, "Fecha de alta", "Fecha de baja", "Situación"])
    for row in staff:
        sheet.append(row)
    sheet.append(["Total", len(staff)])
    users = book.create_sheet("Usuarios")
    users.append(["Usuario", "Nº empleado", "Último acceso", "Bloqueado", "Administrador"])
    for at, row in enumerate(staff):
        users.append([login_of(row), row[0], datetime(2026, 5, 1 + at % 28, 7, 30), "no", "sí" if at >= 38 else "no"])
    users.append(["ventanilla", None, datetime(2026, 5, 30, 9, 0), "no", "no"])
    profiles = book.create_sheet("Perfiles")
    profiles.append(["Perfil", "Acción", "Objeto"])
    for line in (
        ("Lector", "Registrar lectura", "contadores/*"),
        ("Lector", "Consultar lectura", "contadores/*"),
        ("Validador", "Validar lectura", "contadores/*"),
        ("Tesorero", "Exportar banco", "banco/remesas"),
        ("Tesorero", "Consultar banco", "banco/remesas"),
        ("Caja", "Consultar banco", "banco/remesas"),
        ("Gestor", "Gestionar sistema", "**"),
    ):
        profiles.append(list(line))
    given = book.create_sheet("Asignaciones")
    given.append(["Usuario", "Perfil", "Válido desde", "Hasta", "Motivo"])
    for at, row in enumerate(staff):
        profile = ("Consulta", "Lector", "Caja", "Gestor")[[it[0] for it in UNITS].index(str(row[4]))]
        if profile != "Consulta":
            given.append([login_of(row), profile, "01/02/2024", None, None])
        elif at == 4:
            given.append([login_of(row), "Lector", "01/02/2024", None, "apoyo en verano"])
    given.append([login_of(staff[20]), "Validador", "15/03/2025", "31/12/2026", "sustitución"])
    given.append([login_of(staff[28]), "Tesorero", "15/03/2025", None, None])
    given.append(["ventanilla", "Caja", "01/02/2024", None, None])
    book.create_sheet("Notas")
    book.save(folder / "agua.xlsx")
    uses = [
        {"fechaHora": "2026-05-12T08:00:00Z", "usuario": login_of(staff[20]), "accion": "Registrar lectura"}
        | {"objeto": "contadores/17", "expediente": "L-881"},
        {"fechaHora": "2026-05-12T08:20:00Z", "usuario": login_of(staff[20]), "accion": "Validar lectura"}
        | {"objeto": "contadores/17", "expediente": "L-881"},
        {"fechaHora": "2026-05-19T22:10:00Z", "usuario": login_of(staff[4]), "accion": "Consultar lectura"}
        | {"objeto": "contadores/3", "expediente": None},
        {"fechaHora": "2026-05-20T10:10:00Z", "usuario": login_of(staff[28]), "accion": "Consultar banco"}
        | {"objeto": "banco/remesas", "expediente": None},
    ]
    uses += [
        {"fechaHora": f"2026-05-{2 + at:02}T09:00:00Z", "usuario": login_of(row), "accion": "Registrar lectura"}
        | {"objeto": f"contadores/{at}", "expediente": f"L-{at}"}
        for at, row in enumerate(staff[18:28])
    ]
    text = json.dumps({"generado": "2026-06-01", "accesos": uses}, ensure_ascii=False, indent=1)
    (folder / "accesos.json").write_text(text, encoding="utf-8")
    return sorted(folder.iterdir())
