<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Objects;

use Aws\CommandInterface;
use Aws\CommandPool;
use Aws\ResultInterface;
use Aws\S3\Exception\S3Exception;
use Aws\S3\S3Client;
use League\Flysystem\AwsS3V3\AwsS3V3Adapter;
use League\Flysystem\Filesystem;
use Lighterman\Core\Trouble\FileTrouble;
use Lighterman\Core\Trouble\MissingTrouble;
use Lighterman\Core\Trouble\PrivilegeTrouble;
use Lighterman\Core\Trouble\StatementTrouble;
use Lighterman\Core\Trouble\SystemTrouble;
use Psr\Http\Message\RequestInterface;
use SensitiveParameter;
use Throwable;

/**
 * A bucket, or what lies below a prefix in one, of a store that speaks the S3 protocol.
 *
 * @see https://docs.aws.amazon.com/AmazonS3/latest/API/Welcome.html
 */
final readonly class ObjectStore
{
    private const SECONDS = 60;

    /** Bytes of an object that are read at once. */
    private const PIECE = 1 << 16;

    /** How often an object is begun anew that breaks off. */
    private const TRIES = 3;

    /** Requests that are under way at the same time. */
    private const AT_ONCE = 16;

    /**
     * @param  string  $endpoint  address with its scheme
     * @param  string  $prefix  that all names begin with; empty for none
     * @param  bool  $bucketInPath  whether the bucket stands in the path of an address, and not before its host
     */
    public function __construct(public string $endpoint, public string $region, public string $bucket, public string $prefix, public string $key, #[SensitiveParameter] public string $secret, public bool $bucketInPath = true)
    {
    }

    private function client(): S3Client
    {
        $client = new S3Client([
            'version' => 'latest', 'endpoint' => $this->endpoint, 'region' => $this->region, 'use_path_style_endpoint' => $this->bucketInPath,
            'credentials' => ['key' => $this->key, 'secret' => $this->secret], 'use_aws_shared_config_files' => false, 'retries' => 2,
            'http' => ['connect_timeout' => 5, 'timeout' => self::SECONDS],
            // Not every store knows the newer checksums.
            'request_checksum_calculation' => 'when_required', 'response_checksum_validation' => 'when_required',
        ]);
        // Those that do are asked for them. The library would read a whole object to compare it; here that is done as it comes.
        $client->getHandlerList()->appendBuild(static fn (callable $next): callable => static fn (CommandInterface $command, RequestInterface $request): mixed => $next($command, $command->getName() === 'GetObject' ? $request->withHeader('x-amz-checksum-mode', 'ENABLED') : $request), 'sums');

        return $client;
    }

    public function files(): Filesystem
    {
        return new Filesystem(new AwsS3V3Adapter($this->client(), $this->bucket, $this->prefix));
    }

    /**
     * Writes a small object that must not be there yet.
     *
     * @return bool false if one of that name is there, or another write of it is still going on
     *
     * @throws S3Exception
     * @throws SystemTrouble if the store does not confirm it
     */
    public function create(string $system, string $name, string $contents): bool
    {
        try {
            $result = $this->client()->putObject(['Bucket' => $this->bucket, 'Key' => $this->keyOf($name), 'Body' => $contents, 'IfNoneMatch' => '*']);
        } catch (S3Exception $e) {
            return in_array($e->getStatusCode(), [409, 412], true) ? false : throw $e;
        }

        // Whatever stands before a store may answer that all is well and mean something else.
        return (string) ($result['ETag'] ?? '') !== '' ? true : throw StatementTrouble::store($system, "{$system}: {$this->where($name)} cannot be written: {$this->endpoint} does not confirm it.", answers: true);
    }

    /**
     * Reads small objects, several at the same time.
     *
     * @param  list<string>  $names
     * @return array<string, string|null> what they hold, by name; null where there is none
     *
     * @throws S3Exception
     */
    public function readAll(array $names): array
    {
        $client = $this->client();
        $commands = array_map(fn (string $name) => $client->getCommand('GetObject', ['Bucket' => $this->bucket, 'Key' => $this->keyOf($name)]), $names);
        $held = [];
        foreach (CommandPool::batch($client, $commands, ['concurrency' => self::AT_ONCE]) as $i => $result) {
            $held[$names[$i]] = match (true) {
                $result instanceof ResultInterface => (string) $result['Body'],
                self::isMissing($result) => null,
                default => throw $result,
            };
        }

        return $held;
    }

    /**
     * Opens an object to be read from its beginning to its end.
     *
     * @return array{resource, int, StoredSum|null} and the bytes that it has, for a connection that breaks looks like the end of it, and their checksum where the store keeps one
     *
     * @throws S3Exception
     */
    public function open(string $name): array
    {
        $result = $this->client()->getObject(['Bucket' => $this->bucket, 'Key' => $this->keyOf($name), '@http' => ['stream' => true]]);
        /** @var resource $stream */
        $stream = $result['Body']->detach();

        return [$stream, (int) $result['ContentLength'], StoredSum::of($result)];
    }

    /**
     * Copies an object into a file that is open. What breaks off, or comes with other bytes than it has, is begun anew.
     *
     * @param  resource  $into
     *
     * @throws S3Exception
     * @throws SystemTrouble if that happens again and again
     */
    public function fetch(string $system, string $name, $into): void
    {
        for ($try = 1; ; $try++) {
            [$stream, $bytes, $sum] = $this->open($name);
            rewind($into);
            ftruncate($into, 0);
            $came = 0;
            while (($piece = fread($stream, self::PIECE)) !== false && $piece !== '') {
                $came += (int) fwrite($into, $piece);
                $sum?->add($piece);
            }
            fclose($stream);
            if ($came === $bytes && $sum?->agrees() !== false) {
                return;
            }
            if ($try === self::TRIES) {
                throw $came === $bytes ? FileTrouble::altered($system, $this->where($name)) : FileTrouble::cut($system, $this->where($name), $came, $bytes);
            }
        }
    }

    /** A name in full, for people. */
    public function where(string $name): string
    {
        return "{$this->bucket}/{$this->keyOf($name)}";
    }

    private function keyOf(string $name): string
    {
        return ($this->prefix === '' ? '' : "{$this->prefix}/").$name;
    }

    /** A short text that is another for every place. */
    public function id(): string
    {
        return substr(hash('sha256', "{$this->endpoint}\0{$this->bucket}\0{$this->prefix}"), 0, 16);
    }

    public static function isMissing(Throwable $e): bool
    {
        return self::code($e) === 'NoSuchKey' || (self::status($e) === 404 && self::code($e) !== 'NoSuchBucket');
    }

    /** @param  string  $what  that was tried, as in "x cannot be read" */
    public function trouble(string $system, string $what, Throwable $e): SystemTrouble
    {
        return match (true) {
            self::code($e) === 'NoSuchBucket' => MissingTrouble::bucket($system, "{$system}: {$what}, for {$this->endpoint} has no bucket {$this->bucket}.", $this->bucket),
            in_array(self::status($e), [401, 403], true) => PrivilegeTrouble::inBucket($system, "{$system}: {$what}: {$this->endpoint} refuses it (".self::code($e).').'),
            self::cause($e)?->isConnectionError() === true => StatementTrouble::store($system, "{$system}: {$what}: {$this->endpoint} does not answer.", answers: false),
            default => StatementTrouble::store($system, "{$system}: {$what}: {$this->endpoint} says ".(self::code($e) ?? self::status($e) ?? 'nothing that can be understood').'.', answers: true),
        };
    }

    private static function cause(Throwable $e): ?S3Exception
    {
        return $e instanceof S3Exception ? $e : ($e->getPrevious() === null ? null : self::cause($e->getPrevious()));
    }

    private static function status(Throwable $e): ?int
    {
        return self::cause($e)?->getStatusCode();
    }

    private static function code(Throwable $e): ?string
    {
        return self::cause($e)?->getAwsErrorCode();
    }
}
