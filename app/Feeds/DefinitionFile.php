<?php

declare(strict_types=1);

namespace App\Feeds;

use JsonException;
use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Treatment\Step\Steps;
use Lighterman\Core\Trouble\InvalidDefinition;
use Opis\JsonSchema\Errors\ValidationError;
use Opis\JsonSchema\Validator;
use Symfony\Component\Yaml\Exception\ParseException;
use Symfony\Component\Yaml\Yaml;

/** A route and its feeds as a JSON or YAML file. bin/lighterman route:schema prints its JSON Schema. */
final readonly class DefinitionFile
{
    /** @param  list<array<string, mixed>>  $feeds each with the route's defaults filled in */
    private function __construct(public string $source, public string $target, public array $feeds)
    {
    }

    /** The JSON Schema of such a file, with what captures and steps say of themselves. */
    public static function schema(): \stdClass
    {
        $schema = json_decode((string) file_get_contents(resource_path('schema/route.json')), false, 64, JSON_THROW_ON_ERROR);
        $schema->{'$defs'}->capture = (object) ['enum' => array_column(Capture::cases(), 'value')];

        $schema->{'$defs'}->step->properties = json_decode(json_encode(Steps::schema(), JSON_THROW_ON_ERROR), false);

        return $schema;
    }

    /** @throws InvalidDefinition naming the place in the file */
    public static function parse(string $text): self
    {
        try {
            $data = str_starts_with(ltrim($text), '{') ? json_decode($text, true, 64, JSON_THROW_ON_ERROR) : Yaml::parse($text);
        } catch (JsonException $e) {
            throw InvalidDefinition::at('the file', 'it is not JSON ('.lcfirst($e->getMessage()).')', 'Check brackets, commas and quotes.');
        } catch (ParseException $e) {
            throw InvalidDefinition::at("line {$e->getParsedLine()}", 'it is not YAML', 'Check the indentation and the quotes around this line.');
        }
        self::validate(is_array($data) ? $data : []);
        $defaults = $data['defaults'] ?? [];

        return new self($data['source'], $data['target'], array_values(array_map(static fn (array $f): array => $f + $defaults, $data['feeds'])));
    }

    /** @param  array<string, mixed>  $data */
    private static function validate(array $data): void
    {
        $result = (new Validator)->validate(json_decode(json_encode($data ?: new \stdClass, JSON_THROW_ON_ERROR), false), self::schema());
        $error = $result->error();
        if ($error === null) {
            return;
        }
        while ($error->subErrors() !== []) {
            $error = $error->subErrors()[0];
        }
        throw self::told($error);
    }

    private static function told(ValidationError $error): InvalidDefinition
    {
        $path = implode('.', $error->data()->fullPath()) ?: 'the file';
        $args = $error->args();

        return match ($error->keyword()) {
            'additionalProperties' => InvalidDefinition::at($path, 'it has the unknown key "'.implode('", "', (array) ($args['properties'] ?? [])).'"', 'Known keys are '.implode(', ', array_keys((array) ($error->schema()->info()->data()->properties ?? []))).'.'),
            'required' => InvalidDefinition::at($path, 'the key "'.implode('", "', (array) ($args['missing'] ?? [])).'" is missing', 'Add it; docs/guide/definition-file.md shows an example.'),
            'enum' => InvalidDefinition::at($path, 'the value is none of those allowed', 'Use one of '.implode(', ', (array) ($error->schema()->info()->data()->enum ?? [])).'.'),
            default => InvalidDefinition::at($path, 'the value does not fit ('.$error->keyword().')', 'bin/lighterman route:schema prints what is expected here.'),
        };
    }
}
