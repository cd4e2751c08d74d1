// yolk-cli: the core from the command line. Exit 0 done; 1 the output could not be written or the work failed; 2 wrong
// usage; 3 an input that cannot be read or used. Every error is one line.
#include "commands.h"

#include "base/errors.h"
#include "base/memory.h"

#include <csignal>
#include <cstdio>
#include <iostream>
#include <map>
#include <thread>
#include <unistd.h>

namespace {

/// Ctrl-C and a polite kill become a stop request, so that no half-written file stays behind. Whatever does not stop by
/// it, a library that was fed a damaged file, ends with the process.
class SignalWatch {
public:
    explicit SignalWatch(std::stop_source &stop)
    {
        sigemptyset(&signals_);
        sigaddset(&signals_, SIGINT);
        sigaddset(&signals_, SIGTERM);
        pthread_sigmask(SIG_BLOCK, &signals_, nullptr); // before any other thread starts: all inherit it
        thread_ = std::jthread([this, &stop](std::stop_token done) {
            while (!done.stop_requested()) {
                const timespec wait{0, 50'000'000};
                if (sigtimedwait(&signals_, nullptr, &wait) <= 0)
                    continue;
                if (stop.stop_requested()) // asked twice
                    end();
                stop.request_stop();
                for (int i = 0; i < kPatience && !done.stop_requested(); ++i)
                    if (sigtimedwait(&signals_, nullptr, &wait) > 0)
                        end();
                if (!done.stop_requested())
                    end();
            }
        });
    }

private:
    static constexpr int kPatience = 40; // waits of 50 ms
    /// At once and without farewell: output files have no name before they are whole.
    [[noreturn]] static void end()
    {
        constexpr char kWords[] = "yolk-cli: cancelled\n";
        [[maybe_unused]] const ssize_t said = write(STDERR_FILENO, kWords, sizeof kWords - 1);
        _exit(1);
    }
    sigset_t signals_{};
    std::jthread thread_;
};

void showProgress(double fraction)
{
    static int last = -1;
    const int percent = int(fraction * 100.0);
    if (percent != last)
        std::fprintf(stderr, "\r%3d %%%s", percent, percent == 100 ? "\r     \r" : "");
    last = percent;
}

int fail(int code, const std::string &message)
{
    std::string line = message.substr(0, message.find('\n')); // libraries sometimes send more than one
    std::cerr << (isatty(STDERR_FILENO) ? "\r" : "") << "yolk-cli: " << line << "\n";
    return code;
}

} // namespace

int main(int argc, char **argv)
{
    using namespace yolk;
    keepFreedMemory();
    std::signal(SIGXFSZ, SIG_IGN); // a file size limit shows as a write error
    std::stop_source stop;
    const SignalWatch watch(stop);

    CLI::App app("Yolk merges bracketed exposures and develops them.", "yolk-cli");
    app.require_subcommand(1);
    std::map<std::string, cli::Work> commands;
    commands["info"] = cli::addInfo(app);
    commands["merge"] = cli::addMerge(app);
    commands["develop"] = cli::addDevelop(app);
    commands["batch"] = cli::addBatch(app);
    try {
        app.parse(argc, argv);
    } catch (const CLI::CallForHelp &help) {
        return app.exit(help);
    } catch (const CLI::ParseError &e) {
        return fail(2, e.what());
    }

    try {
        ThreadRunner runner;
        ExecContext ctx(runner, stop.get_token(), isatty(STDERR_FILENO) ? showProgress : Progress());
        commands.at(app.get_subcommands().front()->get_name())(ctx);
        return 0;
    } catch (const InputError &e) {
        return fail(3, e.what());
    } catch (const ArgumentError &e) {
        return fail(2, e.what());
    } catch (const std::bad_alloc &) {
        return fail(1, "not enough memory for this picture");
    } catch (const std::exception &e) {
        return fail(1, e.what());
    }
}
