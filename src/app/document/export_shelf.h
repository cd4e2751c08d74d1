// The user's ways of writing a picture: as files in a folder, and which of them are ticked to be done in one go.
#pragma once

#include "recipe/export_preset.h"

#include <QObject>
#include <QStringList>

#include <vector>

namespace yolk::app {

class ExportShelf : public QObject {
    Q_OBJECT
public:
    /// Presets are kept in `folder`, which need not exist yet; a first start finds some of ours there.
    explicit ExportShelf(const QString &folder, QObject *parent = nullptr);

    const std::vector<ExportPreset> &all() const { return all_; } ///< by name
    /// Keeps a preset; one of the same name is replaced. Throws ArgumentError (no name), OutputError.
    void keep(const ExportPreset &preset);
    void remove(const QString &name); ///< Throws OutputError.
    bool isTicked(const QString &name) const { return ticked_.contains(name); }
    void setTicked(const QString &name, bool on);
    std::vector<ExportPreset> ticked() const;
    const QStringList &problems() const { return problems_; } ///< files of the folder that could not be read

Q_SIGNALS:
    void changed();

private:
    QString fileOf(const std::string &name) const;
    void load();
    QString folder_;
    std::vector<ExportPreset> all_;
    QStringList ticked_, problems_;
};

/// What a preset writes, in a few words: "JPEG · long edge 2048 px · sRGB".
QString wordsOf(const ExportSettings &settings);

} // namespace yolk::app
