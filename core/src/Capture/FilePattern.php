<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture;

use InvalidArgumentException;

/**
 * Which files belong to a feed: a path below the system's folder in which `*` stands for anything within a name, `?` for one
 * character, `{a,b}` for either, and `**` for any folders. Files and folders whose names begin with a dot or an underscore
 * are never meant: by convention they are hidden, or somebody's book-keeping.
 */
final readonly class FilePattern
{
    private string $regex;

    /** @throws InvalidArgumentException if it reaches out of the folder, or is empty */
    public function __construct(public string $text)
    {
        if ($text === '' || str_starts_with($text, '/') || str_ends_with($text, '/') || in_array('..', explode('/', $text), true)) {
            throw new InvalidArgumentException("\"{$text}\" is no pattern of files: write a path below the system's folder, such as samples/*.csv.");
        }
        $regex = '';
        $depth = 0;
        foreach (preg_split('~(\*\*/|\*\*|\*|\?|\{|\}|,)~', $text, -1, PREG_SPLIT_DELIM_CAPTURE | PREG_SPLIT_NO_EMPTY) ?: [] as $part) {
            $depth += $part === '{' ? 1 : ($part === '}' ? -1 : 0);
            $regex .= match (true) {
                $part === '**/' => '(?:[^/]+/)*', $part === '**' => '.*', $part === '*' => '[^/]*', $part === '?' => '[^/]',
                $part === '{' => '(?:', $part === '}' => ')', $part === ',' && $depth > 0 => '|',
                default => preg_quote($part, '~'),
            };
            if ($depth < 0 || $depth > 1) {
                break;
            }
        }
        if ($depth !== 0) {
            throw new InvalidArgumentException("\"{$text}\" is no pattern of files: its braces do not close, or stand within others.");
        }
        $this->regex = "~^{$regex}\$~su";
    }

    public function matches(string $path): bool
    {
        return ! self::isHidden($path) && preg_match($this->regex, $path) === 1;
    }

    /** Whether a name, or that of a folder above it, begins with a dot or an underscore: work of others under way. */
    public static function isHidden(string $path): bool
    {
        return preg_match('~(^|/)[._]~', $path) === 1;
    }

    /** The deepest folder that holds all files that are meant; an empty text for the system's own. */
    public function folder(): string
    {
        $fixed = substr($this->text, 0, strcspn($this->text, '*?{'));

        return substr($fixed, 0, (int) strrpos($fixed, '/'));
    }

    /** Whether files in folders below that one are meant too. */
    public function isDeep(): bool
    {
        return str_contains(ltrim(substr($this->text, strlen($this->folder())), '/'), '/');
    }

    /** @return list<string> columns that the folders give, as in `year=2026/` */
    public function columns(): array
    {
        $folders = explode('/', $this->text);
        array_pop($folders);

        return array_values(array_unique(array_map(static fn (string $f): string => rawurldecode(strstr($f, '=', true) ?: ''), array_filter($folders, static fn (string $f): bool => strpos($f, '=') > 0))));
    }

    /** @return list<string|null> the values of these columns for a file */
    public function values(string $path): array
    {
        $said = [];
        foreach (explode('/', dirname($path)) as $folder) {
            $at = strpos($folder, '=');
            if ($at > 0) {
                $written = substr($folder, $at + 1);
                $said[rawurldecode(substr($folder, 0, $at))] = $written === '__HIVE_DEFAULT_PARTITION__' ? null : rawurldecode($written);
            }
        }

        return array_map(static fn (string $c): ?string => $said[$c] ?? null, $this->columns());
    }

    /** A name for a table of what the files hold. */
    public function tableName(): string
    {
        $plain = static fn (string $t): string => trim((string) preg_replace('/[^a-z0-9]+/', '_', strtolower($t)), '_');
        $name = basename($this->text);
        $name = $plain((string) preg_replace('/(\.[a-z]+)+$/i', '', $name));
        $folders = array_filter(explode('/', dirname($this->text)), static fn (string $f): bool => $f !== '.' && ! str_contains($f, '='));

        // Engines that write many files call them parts, which says nothing of what they hold.
        return ! in_array($name, ['', 'part', 'data'], true) ? $name : ($plain((string) end($folders)) ?: 'files');
    }

    /** The pattern that files like this one have in common: what counts them up, or dates them, is left open. */
    public static function like(string $path): string
    {
        $folders = array_map(static fn (string $f): string => strpos($f, '=') > 0 ? strstr($f, '=', true).'=*' : $f, explode('/', $path));
        $name = (string) array_pop($folders);
        $endings = preg_match('/(?:\.[A-Za-z]\w*)+$/', $name, $m) === 1 ? $m[0] : '';
        // Of digits with what stands between them only one asterisk is left.
        $stem = (string) preg_replace('/\d+(?:[-_.T ]*\d+)*/', '*', substr($name, 0, strlen($name) - strlen($endings)));

        return implode('/', [...$folders, $stem.$endings]);
    }
}
