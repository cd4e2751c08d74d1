// Results of jobs as JSON, and the page about a run.
#include "base/errors.h"
#include "base/text.h"
#include "batch/batch_run.h"
#include "io/atomic_file.h"

#include <nlohmann/json.hpp>

#include <cctype>
#include <filesystem>
#include <fstream>
#include <iterator>

namespace yolk {
namespace {

namespace fs = std::filesystem;
using nlohmann::json;

json jsonOf(const JobResult &result)
{
    json out{{"job", result.number},
             {"frames", result.frames},
             {"files", result.files},
             {"notices", result.notices},
             {"seconds", result.seconds}};
    if (!result.error.empty())
        out["error"] = result.error;
    if (!result.thumbnail.empty())
        out["thumbnail"] = result.thumbnail;
    if (!result.before.empty())
        out["before"] = result.before;
    return out;
}

/// Names of files may be no UTF-8; what is not is replaced.
std::string textOfJson(const json &value, int indent)
{
    return value.dump(indent, ' ', false, json::error_handler_t::replace);
}

std::string escaped(const std::string &text)
{
    std::string out;
    for (const char c : text)
        out += c == '&' ? "&amp;" : c == '<' ? "&lt;" : c == '>' ? "&gt;" : c == '"' ? "&quot;" : std::string(1, c);
    return out;
}

/// As a link from a page in `out`: relative, with what addresses may not hold in percents.
std::string linkTo(const std::string &path, const std::string &out)
{
    std::string link;
    for (const char c : fs::proximate(path, out).generic_string())
        link +=
            std::isalnum(static_cast<unsigned char>(c)) || std::string_view("/._-~").find(c) != std::string_view::npos
                ? std::string(1, c)
                : textOf("%%%02X", unsigned(static_cast<unsigned char>(c)));
    return link;
}

std::string cardOf(const JobResult &result, const std::string &out)
{
    std::string card = "<article>\n";
    if (!result.thumbnail.empty())
        card += "<img alt=\"\" src=\"" + linkTo(result.thumbnail, out) + "\">\n";
    card += textOf("<h2>%d</h2>\n<p>%zu frames, %.1f s</p>\n", result.number, result.frames.size(), result.seconds);
    if (!result.error.empty())
        card += "<p class=\"bad\">Not done: " + escaped(result.error) + "</p>\n";
    for (const std::string &file : result.files)
        card +=
            "<p><a href=\"" + linkTo(file, out) + "\">" + escaped(fs::path(file).filename().string()) + "</a></p>\n";
    for (const std::string &notice : result.notices)
        card += "<p class=\"notice\">" + escaped(notice) + "</p>\n";
    return card + "</article>\n";
}

std::string pairOf(const JobResult &result, const std::string &out)
{
    if (result.thumbnail.empty() || result.before.empty())
        return {};
    return "<article>\n<img alt=\"Before\" src=\"" + linkTo(result.before, out) + "\">\n<img alt=\"After\" src=\"" +
           linkTo(result.thumbnail, out) + "\">\n" + textOf("<p>%d, ", result.number) +
           escaped(fs::path(result.files.front()).filename().string()) + "</p>\n</article>\n";
}

void writePage(const std::string &out, const char *file, const std::string &title, const std::string &heading,
               const std::string &body)
{
    writeTextAtomically(
        (fs::path(out) / file).string(),
        "<!doctype html>\n<html lang=\"en\"><head><meta charset=\"utf-8\"><title>" + title +
            "</title>\n<style>\n"
            "body { background: #d3d2ce; color: #242321; font: 15px/1.4 Inter, sans-serif; margin: 24px; }\n"
            "main { display: grid; grid-template-columns: repeat(auto-fill, minmax(240px, 1fr)); gap: 16px; }\n"
            "main { align-items: start; }\n"
            "main.pairs { grid-template-columns: repeat(auto-fill, minmax(480px, 1fr)); }\n"
            ".pairs article { display: grid; grid-template-columns: 1fr 1fr; gap: 4px; }\n"
            ".pairs p { grid-column: 1 / 3; }\n"
            "article { background: #deddda; border-radius: 6px; padding: 12px; overflow-wrap: anywhere;\n"
            "  break-inside: avoid; }\n"
            "img { background: #767675; width: 100%; aspect-ratio: 3 / 2; object-fit: contain; }\n"
            "h2, p { margin: 4px 0; } h2 { font-size: 15px; }\n"
            ".notice { color: #64625d; }\n"
            ".bad { border-left: 3px solid #242321; font-weight: 600; padding-left: 8px; }\n"
            "</style></head><body>\n<h1>" +
            heading + "</h1>\n" + body + "</body></html>\n");
}

} // namespace

std::optional<JobResult> BatchMarks::done(const std::string &key) const
{
    std::ifstream in(folder_ + "/" + key + ".done", std::ios::binary);
    if (!in)
        return std::nullopt;
    const json root = json::parse(std::string(std::istreambuf_iterator<char>(in), {}), nullptr, false);
    if (!root.is_object())
        return std::nullopt;
    try {
        JobResult out;
        out.number = root.at("job").get<int>();
        out.frames = root.at("frames").get<std::vector<std::string>>();
        out.files = root.at("files").get<std::vector<std::string>>();
        out.notices = root.at("notices").get<std::vector<std::string>>();
        out.seconds = root.at("seconds").get<double>();
        out.thumbnail = root.value("thumbnail", "");
        out.before = root.value("before", "");
        for (const std::string &file : out.files)
            if (!fs::exists(file))
                return std::nullopt; // somebody took it away: it is made again
        return out;
    } catch (const json::exception &) {
        return std::nullopt;
    }
}

void BatchMarks::setDone(const std::string &key, const JobResult &result) const
{
    writeTextAtomically(folder_ + "/" + key + ".done", textOfJson(jsonOf(result), -1) + "\n");
}

void BatchMarks::forget(const std::string &key) const
{
    std::error_code error;
    fs::remove(folder_ + "/" + key + ".done", error);
}

void writeReport(const std::string &out, const std::vector<JobResult> &results,
                 const std::vector<std::string> &problems)
{
    json root{{"jobs", json::array()}, {"problems", problems}};
    std::string cards, pairs;
    size_t bad = 0;
    for (const JobResult &result : results) {
        root["jobs"].push_back(jsonOf(result));
        cards += cardOf(result, out);
        pairs += pairOf(result, out);
        bad += !result.error.empty();
    }
    std::string said;
    for (const std::string &problem : problems)
        said += "<p class=\"bad\">" + escaped(problem) + "</p>\n";
    writeTextAtomically((fs::path(out) / "report.json").string(), textOfJson(root, 2) + "\n");
    const std::string counts = textOf("%zu sets, %zu done, %zu not", results.size(), results.size() - bad, bad);
    writePage(out, "report.html", "Report", counts, said + "<main>\n" + cards + "</main>\n");
    writePage(out, "contact-sheet.html", "Contact sheet", "Before and after",
              "<main class=\"pairs\">\n" + pairs + "</main>\n");
}

} // namespace yolk
