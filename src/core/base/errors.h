// The errors of the core. They become words for people only at the edges: the window's jobs and the
// command line's main(), which maps each type to an exit code.
#pragma once

#include <stdexcept>
#include <string>

namespace yolk {

class Error : public std::runtime_error {
public:
    using std::runtime_error::runtime_error;
};

/// A parameter that the caller must change: names the thing, its value and what is allowed.
class ArgumentError : public Error {
public:
    using Error::Error;
};

/// A file that cannot be read or used. what() is "<file>: <reason>".
class InputError : public Error {
public:
    InputError(std::string file, const std::string &reason) : Error(file + ": " + reason), file_(std::move(file)) {}
    const std::string &file() const { return file_; }

private:
    std::string file_;
};

/// A file that could not be written. what() is "<file>: <reason>".
class OutputError : public Error {
public:
    OutputError(const std::string &file, const std::string &reason) : Error(file + ": " + reason) {}
};

/// The caller asked to stop; nothing half-done is handed out.
class Cancelled : public Error {
public:
    Cancelled() : Error("cancelled") {}
};

} // namespace yolk
