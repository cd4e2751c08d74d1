// Where work on a set lies on the disk: files named after the first of its frames.
#pragma once

#include "project/project.h"

#include <span>
#include <string>

namespace yolk {

/// "base.yolk", "base-2.yolk", ...: several sets may begin with frames of one name.
std::string workFile(const std::string &base, int number);

/// The project in a file. Throws InputError.
Project loadProject(const std::string &path);

/// The newest work beside the frames with these paths, known by the names and sizes of their files, whose content is not
/// read; empty: there is none. Files that hold no project are passed over.
std::string workBeside(std::span<const std::string> frames);

} // namespace yolk
