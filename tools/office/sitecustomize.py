"""What stands in for this machine and its user in the documentation, so that it shows the same wherever it is made."""

import os
import platform
import pwd

USER, HOST = "ragna", "quay-7"


def _passwd(number, _real=pwd.getpwuid):
    return pwd.struct_passwd((USER, *_real(number)[1:])) if number == os.getuid() else _real(number)


platform.node = lambda: HOST
pwd.getpwuid = _passwd
