"""Compile the package's C functions while it is built.

The compiler is a build requirement from the package registry, so none must be installed. The
library also runs with old versions of glibc.
"""

import os
import platform
import subprocess
import sys
from pathlib import Path

from setuptools import Extension, setup
from setuptools.command.bdist_wheel import bdist_wheel
from setuptools.command.build_ext import build_ext

#: The oldest C library that it is for, as PEP 600 names it in a wheel's file name.
GLIBC = "2.17"
IS_GLIBC = sys.platform == "linux" and platform.libc_ver()[0] == "glibc"


class BuildLibrary(build_ext):
    """Builds a library for ctypes, which knows nothing of Python."""

    def get_ext_filename(self, fullname: str) -> str:
        """Return its file name, which is the same for every version of Python."""
        return f"{fullname.replace('.', os.sep)}.so"

    def build_extension(self, ext: Extension) -> None:
        """Compile it."""
        target = self.get_ext_fullpath(ext.name)
        os.makedirs(os.path.dirname(target), exist_ok=True)
        command = [sys.executable, "-m", "ziglang", "cc"]
        if IS_GLIBC:
            command += ["-target", f"{platform.machine()}-linux-gnu.{GLIBC}"]
        command += ["-std=gnu11", "-O3", "-Wall", "-Wextra", "-Werror", "-s", "-fPIC", "-shared"]
        subprocess.run([*command, "-o", target, *ext.sources], check=True)


class Wheel(bdist_wheel):
    """A wheel for one kind of machine, and every version of Python."""

    def get_tag(self) -> tuple[str, str, str]:
        """Return the tags of its file name."""
        _, _, machine = super().get_tag()
        if IS_GLIBC:
            machine = f"manylinux_{GLIBC.replace('.', '_')}_{platform.machine()}"
        return "py3", "none", machine


NATIVE = Path("src/fasciculus/core/native")

setup(
    ext_modules=[
        Extension("fasciculus.core.native.fasciculus", sorted(map(str, NATIVE.glob("*.c"))))
    ],
    cmdclass={"build_ext": BuildLibrary, "bdist_wheel": Wheel},
)
