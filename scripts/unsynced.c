/* Keeps a copy of every file as it was at its last fsync or fdatasync: what a disk holds when the power fails, if nothing else was
   written back. Preloaded by scripts/crash.py --power. Files below $UNSYNCED_FROM are copied into $UNSYNCED_TO. */
#define _GNU_SOURCE
#include <dlfcn.h>
#include <fcntl.h>
#include <limits.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

static void keep(int fd) {
    const char *from = getenv("UNSYNCED_FROM"), *to = getenv("UNSYNCED_TO");
    char link[64], path[PATH_MAX], part[PATH_MAX + 32], copy[PATH_MAX + 32];
    if (!from || !to) return;
    snprintf(link, sizeof link, "/proc/self/fd/%d", fd);
    ssize_t length = readlink(link, path, sizeof path - 1);
    if (length <= 0) return;
    path[length] = 0;
    struct stat state;
    if (strncmp(path, from, strlen(from)) || fstat(fd, &state) || !S_ISREG(state.st_mode)) return;
    const char *name = strrchr(path, '/') + 1;
    snprintf(part, sizeof part, "%s/%s.part%d", to, name, (int)getpid());
    snprintf(copy, sizeof copy, "%s/%s", to, name);
    int out = open(part, O_WRONLY | O_CREAT | O_TRUNC, 0600);
    if (out < 0) return;
    static char block[1 << 16];
    off_t at = 0;
    for (ssize_t got; (got = pread(fd, block, sizeof block, at)) > 0; at += got)
        if (write(out, block, got) != got) break;
    close(out);
    rename(part, copy);
}

int unlink(const char *path) { /* a file that is gone is gone: SQLite takes its log away after everything in it is synchronised */
    int (*real)(const char *) = dlsym(RTLD_NEXT, "unlink");
    const char *from = getenv("UNSYNCED_FROM"), *to = getenv("UNSYNCED_TO"), *name = strrchr(path, '/');
    int answer = real(path);
    if (!answer && from && to && name && !strncmp(path, from, strlen(from))) {
        char copy[PATH_MAX];
        snprintf(copy, sizeof copy, "%s%s", to, name);
        real(copy);
    }
    return answer;
}

int fsync(int fd) {
    int (*real)(int) = dlsym(RTLD_NEXT, "fsync");
    int answer = real(fd);
    if (!answer) keep(fd);
    return answer;
}

int fdatasync(int fd) {
    int (*real)(int) = dlsym(RTLD_NEXT, "fdatasync");
    int answer = real(fd);
    if (!answer) keep(fd);
    return answer;
}
