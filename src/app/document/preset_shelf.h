// The presets at hand: ours, and the user's own as files in a folder; and which of them are favourites.
#pragma once

#include "recipe/preset.h"

#include <QHash>
#include <QObject>
#include <QStringList>

#include <optional>

namespace yolk::app {

class PresetShelf : public QObject {
    Q_OBJECT
public:
    /// Own presets are kept in `folder`, which need not exist yet.
    explicit PresetShelf(const QString &folder, QObject *parent = nullptr);

    QStringList groups() const; ///< ours first, then the user's
    QStringList ourGroups() const;
    std::vector<Preset> oursIn(const QString &group) const;
    std::vector<Preset> ownOnes() const; ///< of all groups, by name
    std::optional<Preset> find(const QString &name) const;
    bool isOwn(const QString &name) const;

    /// Keeps a preset; one of the user's of the same name is replaced. Throws ArgumentError (a name of ours, no name),
    /// OutputError.
    void keep(const Preset &preset);
    /// Throws as keep(); ArgumentError when the new name is taken.
    void change(const QString &name, const QString &newName, const QString &newGroup);
    void remove(const QString &name); ///< Throws OutputError.
    /// Reads a preset file into the shelf under a name that is free and returns that name. Throws InputError, as
    /// keep().
    QString import(const QString &path);
    void exportTo(const QString &name, const QString &path) const; ///< Throws OutputError, ArgumentError (name).

    /// Names in the order in which they were chosen.
    const QStringList &favourites() const { return favourites_; }
    void setFavourite(const QString &name,
                      bool is); ///< Throws OutputError; ArgumentError when there is no such preset.

    const QStringList &problems() const { return problems_; } ///< files of the folder that could not be read

Q_SIGNALS:
    void changed();

private:
    struct Own {
        Preset preset;
        QString file;
    };
    const Own *own(const QString &name) const;
    QString fileFor(const QString &name) const;
    void load();
    void loadFavourites();
    void keepFavourites(QStringList names);

    QString folder_;
    std::vector<Own> own_; ///< by name
    QStringList favourites_;
    QStringList problems_;
};

} // namespace yolk::app
