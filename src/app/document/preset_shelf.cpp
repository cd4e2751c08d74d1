#include "document/preset_shelf.h"

#include "io/atomic_file.h"

#include <QDir>
#include <QFile>
#include <QFileInfo>

#include <algorithm>
#include <fstream>

namespace yolk::app {
namespace {

constexpr qint64 kMostBytes = 1 << 20; // a preset has some thousand
const QString kSuffix = QStringLiteral(".json");
const QString kFavourites = QStringLiteral("favourites.txt"); // a name a line

std::string pathText(const QString &path)
{
    return QFile::encodeName(path).toStdString();
}

Preset readPreset(const QString &path)
{
    QFile file(path);
    if (!file.open(QIODevice::ReadOnly))
        throw InputError(pathText(path), "it cannot be opened");
    if (file.size() > kMostBytes)
        throw InputError(pathText(path), "is too large for a preset");
    try {
        return parsePreset(file.readAll().toStdString());
    } catch (const ArgumentError &e) {
        throw InputError(pathText(path), e.what());
    }
}

void writeTextAtomically(const std::string &text, const QString &path)
{
    writeAtomically(pathText(path), [&](const std::string &temporary) {
        std::ofstream out(temporary, std::ios::binary);
        out << text;
        out.close();
        if (!out)
            throw OutputError(temporary, "it could not be written");
    });
}

} // namespace

PresetShelf::PresetShelf(const QString &folder, QObject *parent) : QObject(parent), folder_(folder)
{
    load();
}

void PresetShelf::load()
{
    own_.clear();
    problems_.clear();
    for (const QFileInfo &file :
         QDir(folder_).entryInfoList({QStringLiteral("*") + kSuffix}, QDir::Files, QDir::Name)) {
        try {
            Preset preset = readPreset(file.filePath());
            if (find(QString::fromStdString(preset.name)))
                throw InputError(pathText(file.filePath()), "there is another preset of its name");
            own_.push_back({std::move(preset), file.filePath()});
        } catch (const InputError &e) {
            problems_ << QString::fromStdString(e.what());
        }
    }
    std::ranges::sort(own_, {}, [](const Own &o) { return o.preset.name; });
    loadFavourites();
}

void PresetShelf::loadFavourites()
{
    favourites_.clear();
    QFile file(QDir(folder_).filePath(kFavourites));
    if (!file.open(QIODevice::ReadOnly))
        return; // nobody chose any yet
    for (const QString &name : QString::fromUtf8(file.read(kMostBytes)).split(QLatin1Char('\n'), Qt::SkipEmptyParts))
        if (find(name) && !favourites_.contains(name))
            favourites_ << name;
}

void PresetShelf::keepFavourites(QStringList names)
{
    if (!QDir().mkpath(folder_))
        throw OutputError(pathText(folder_), "the folder cannot be made");
    writeTextAtomically(names.join(QLatin1Char('\n')).toStdString() + '\n', QDir(folder_).filePath(kFavourites));
    favourites_ = std::move(names);
}

void PresetShelf::setFavourite(const QString &name, bool is)
{
    if (!find(name))
        throw ArgumentError(tr("there is no preset %1").arg(name).toStdString());
    if (is == favourites_.contains(name))
        return;
    QStringList names = favourites_;
    if (is)
        names << name;
    else
        names.removeAll(name);
    keepFavourites(std::move(names));
    Q_EMIT changed();
}

QStringList PresetShelf::ourGroups() const
{
    QStringList out;
    for (const Preset &preset : builtInPresets())
        out << QString::fromStdString(preset.group);
    out.removeDuplicates();
    return out;
}

QStringList PresetShelf::groups() const
{
    QStringList out = ourGroups();
    for (const Own &o : own_)
        out << QString::fromStdString(o.preset.group);
    out.removeDuplicates();
    return out;
}

std::vector<Preset> PresetShelf::oursIn(const QString &group) const
{
    std::vector<Preset> out;
    const std::string wanted = group.toStdString();
    std::ranges::copy_if(builtInPresets(), std::back_inserter(out),
                         [&](const Preset &preset) { return preset.group == wanted; });
    return out;
}

std::vector<Preset> PresetShelf::ownOnes() const
{
    std::vector<Preset> out;
    for (const Own &o : own_)
        out.push_back(o.preset);
    return out;
}

const PresetShelf::Own *PresetShelf::own(const QString &name) const
{
    const auto it = std::ranges::find(own_, name.toStdString(), [](const Own &o) { return o.preset.name; });
    return it == own_.end() ? nullptr : &*it;
}

std::optional<Preset> PresetShelf::find(const QString &name) const
{
    if (const Own *o = own(name))
        return o->preset;
    const auto ours = builtInPresets();
    const auto it = std::ranges::find(ours, name.toStdString(), &Preset::name);
    return it == ours.end() ? std::nullopt : std::optional(*it);
}

bool PresetShelf::isOwn(const QString &name) const
{
    return own(name) != nullptr;
}

/// A file name that any file system takes, for a name of any signs.
QString PresetShelf::fileFor(const QString &name) const
{
    QString plain;
    for (const QChar c : name.toLower())
        plain += c.isLetterOrNumber() ? c : QLatin1Char('-');
    QString path = QDir(folder_).filePath(plain + kSuffix);
    for (int i = 2; QFileInfo::exists(path); ++i)
        path = QDir(folder_).filePath(plain + QStringLiteral("-%1").arg(i) + kSuffix);
    return path;
}

void PresetShelf::keep(const Preset &preset)
{
    static_cast<void>(parsePreset(presetText(preset))); // what could not be read again is refused now
    const QString name = QString::fromStdString(preset.name);
    const Own *before = own(name);
    if (!before && find(name))
        throw ArgumentError(tr("%1 is one of our presets: choose another name").arg(name).toStdString());
    if (!QDir().mkpath(folder_))
        throw OutputError(pathText(folder_), "the folder cannot be made");
    writeTextAtomically(presetText(preset), before ? before->file : fileFor(name));
    load();
    Q_EMIT changed();
}

void PresetShelf::change(const QString &name, const QString &newName, const QString &newGroup)
{
    const Own *o = own(name);
    if (!o)
        throw ArgumentError(tr("%1 is none of your own presets").arg(name).toStdString());
    if (newName != name && find(newName))
        throw ArgumentError(tr("there is a preset %1 already").arg(newName).toStdString());
    Own next = *o;
    next.preset.name = newName.toStdString();
    next.preset.group = newGroup.toStdString();
    static_cast<void>(parsePreset(presetText(next.preset)));
    writeTextAtomically(presetText(next.preset), next.file);
    if (const qsizetype at = favourites_.indexOf(name); at >= 0) {
        QStringList names = favourites_;
        names[at] = newName;
        keepFavourites(std::move(names));
    }
    load();
    Q_EMIT changed();
}

void PresetShelf::remove(const QString &name)
{
    if (const Own *o = own(name)) {
        if (!QFile::remove(o->file))
            throw OutputError(pathText(o->file), "it cannot be removed");
        load();
        Q_EMIT changed();
    }
}

QString PresetShelf::import(const QString &path)
{
    Preset preset = readPreset(path);
    const QString name = QString::fromStdString(preset.name);
    QString free = name;
    for (int i = 2; find(free); ++i)
        free = tr("%1 %2").arg(name).arg(i);
    preset.name = free.toStdString();
    keep(preset);
    return free;
}

void PresetShelf::exportTo(const QString &name, const QString &path) const
{
    const auto preset = find(name);
    if (!preset)
        throw ArgumentError(tr("there is no preset %1").arg(name).toStdString());
    writeTextAtomically(presetText(*preset), path);
}

} // namespace yolk::app
