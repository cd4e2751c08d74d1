#include "document/export_shelf.h"

#include "base/errors.h"
#include "io/atomic_file.h"

#include <QDir>
#include <QFile>
#include <QFileInfo>
#include <QSettings>

#include <algorithm>

namespace yolk::app {
namespace {

constexpr qint64 kMostBytes = 1 << 20; // a preset has some hundred
const QString kTicked = QStringLiteral("export/ticked");

std::vector<ExportPreset> firstOnes()
{
    ExportPreset web{"Web", "", {}};
    web.settings.format = PictureFormat::Jpeg;
    web.settings.sizeBy = SizeBy::LongEdge;
    web.settings.sharpening = OutputSharpening::Screen;
    web.settings.metadata = KeptMetadata::NoPlace;
    web.settings.name = "{name}-web";
    ExportPreset print{"Print", "", {}};
    print.settings.space = OutputSpace::OpRgb;
    print.settings.sharpening = OutputSharpening::Paper;
    print.settings.name = "{name}-print";
    ExportPreset bright{"HDR screens", "", {}};
    bright.settings.format = PictureFormat::Jpeg;
    bright.settings.space = OutputSpace::DisplayP3;
    bright.settings.light = ExportLight::Hdr;
    bright.settings.name = "{name}-hdr";
    return {bright, print, web};
}

} // namespace

ExportShelf::ExportShelf(const QString &folder, QObject *parent)
    : QObject(parent), folder_(folder), ticked_(QSettings().value(kTicked).toStringList())
{
    load();
}

void ExportShelf::load()
{
    if (!QFileInfo::exists(folder_)) {
        all_ = firstOnes(); // written when one is kept or removed
        return;
    }
    all_.clear();
    problems_.clear();
    for (const QFileInfo &info : QDir(folder_).entryInfoList({QStringLiteral("*.json")}, QDir::Files)) {
        QFile file(info.filePath());
        try {
            if (file.size() > kMostBytes || !file.open(QIODevice::ReadOnly))
                throw ArgumentError("cannot be read");
            all_.push_back(parseExportPreset(file.readAll().toStdString()));
        } catch (const Error &e) {
            problems_ << tr("%1: %2").arg(info.filePath(), QString::fromUtf8(e.what()));
        }
    }
    std::ranges::sort(all_, {}, &ExportPreset::name);
}

QString ExportShelf::fileOf(const std::string &name) const
{
    QString file = QString::fromStdString(name).toLower();
    for (QChar &c : file)
        if (!c.isLetterOrNumber())
            c = QLatin1Char('-');
    return QDir(folder_).filePath(file + QStringLiteral(".json"));
}

void ExportShelf::keep(const ExportPreset &preset)
{
    if (QString::fromStdString(preset.name).trimmed().isEmpty())
        throw ArgumentError("an export preset needs a name");
    std::vector<ExportPreset> next = all_;
    std::erase_if(next, [&](const ExportPreset &p) { return fileOf(p.name) == fileOf(preset.name); });
    next.push_back(preset);
    QDir().mkpath(folder_);
    for (const ExportPreset &p : next) // those of the first start too
        writeTextAtomically(QFile::encodeName(fileOf(p.name)).toStdString(), exportPresetText(p));
    std::ranges::sort(next, {}, &ExportPreset::name);
    all_ = std::move(next);
    Q_EMIT changed();
}

void ExportShelf::remove(const QString &name)
{
    std::vector<ExportPreset> next = all_;
    std::erase_if(next, [&](const ExportPreset &p) { return p.name == name.toStdString(); });
    QDir().mkpath(folder_);
    for (const ExportPreset &p : next)
        writeTextAtomically(QFile::encodeName(fileOf(p.name)).toStdString(), exportPresetText(p));
    const QString file = fileOf(name.toStdString());
    if (QFileInfo::exists(file) && !QFile::remove(file))
        throw OutputError(QFile::encodeName(file).toStdString(), "cannot be removed");
    all_ = std::move(next);
    setTicked(name, false);
}

void ExportShelf::setTicked(const QString &name, bool on)
{
    ticked_.removeAll(name);
    if (on)
        ticked_ << name;
    QSettings().setValue(kTicked, ticked_);
    Q_EMIT changed();
}

std::vector<ExportPreset> ExportShelf::ticked() const
{
    std::vector<ExportPreset> out;
    std::ranges::copy_if(all_, std::back_inserter(out),
                         [this](const ExportPreset &p) { return isTicked(QString::fromStdString(p.name)); });
    return out;
}

QString wordsOf(const ExportSettings &s)
{
    const FormatTraits &traits = traitsOf(s.format);
    QStringList out{QString::fromUtf8(traits.name.data(), qsizetype(traits.name.size()))};
    if (isHdr(s))
        out.back() += QStringLiteral(" HDR");
    switch (s.sizeBy) {
    case SizeBy::LongEdge:
    case SizeBy::Width:
    case SizeBy::Height:
        out << ExportShelf::tr("%1 px").arg(std::lround(s.pixels));
        break;
    case SizeBy::Megapixels:
        out << ExportShelf::tr("%1 MP").arg(s.megapixels);
        break;
    case SizeBy::Percent:
        out << ExportShelf::tr("%1 %").arg(s.percent);
        break;
    case SizeBy::Full:
        break;
    }
    for (const auto &space : kOutputSpaces)
        if (space.value == s.space)
            out << QString::fromUtf8(space.name.data(), qsizetype(space.name.size())).remove(QChar(0x2026));
    return out.join(QStringLiteral(" · "));
}

} // namespace yolk::app
