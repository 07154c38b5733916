using System;
using System.Collections.Generic;
using System.Globalization;
using System.IO;
using System.Net.Sockets;
using System.Text;

namespace Emballage.Host
{
    /// <summary>A request cannot be taken, with the status that says so.</summary>
    sealed class Refused : Exception
    {
        public readonly int Status;

        public Refused(int status, string message) : base(message)
        {
            Status = status;
        }
    }

    /// <summary>
    /// One request and its answer on a connection (HTTP/1.1, RFC 9112). The listener of the framework wants the libraries of
    /// TLS, which images need not have.
    /// </summary>
    sealed class Exchange
    {
        const int MostHeadBytes = 64 * 1024;
        readonly NetworkStream stream;
        public string Method;
        public string Path;
        public bool IsKept;
        public readonly Dictionary<string, string> Headers = new Dictionary<string, string>(StringComparer.OrdinalIgnoreCase);

        Exchange(NetworkStream stream)
        {
            this.stream = stream;
        }

        /// <summary>The next request; null where nobody asks any more.</summary>
        public static Exchange Next(NetworkStream stream)
        {
            var one = new Exchange(stream);
            int left = MostHeadBytes;
            string first = one.Line(ref left);
            // Who sends an empty line before a request is forgiven (RFC 9112, 2.2).
            if (first == "") first = one.Line(ref left);
            if (first == null) return null;
            string[] parts = first.Split(' ');
            if (parts.Length != 3 || !parts[2].StartsWith("HTTP/1.", StringComparison.Ordinal)) throw new Refused(400, "no request of HTTP/1");
            one.Method = parts[0];
            one.Path = parts[1].Split('?')[0];
            for (string line = one.Line(ref left); line != ""; line = one.Line(ref left))
            {
                int colon = line == null ? -1 : line.IndexOf(':');
                if (colon < 1) throw new Refused(400, "a header without a colon");
                one.Headers[line.Substring(0, colon)] = line.Substring(colon + 1).Trim();
            }
            string connection = one.Header("connection").ToLowerInvariant();
            one.IsKept = parts[2] == "HTTP/1.1" ? connection != "close" : connection == "keep-alive";
            return one;
        }

        public string Header(string name)
        {
            string value;
            return Headers.TryGetValue(name, out value) ? value : "";
        }

        string Line(ref int left)
        {
            var made = new StringBuilder();
            for (int unit = stream.ReadByte(); unit >= 0; unit = stream.ReadByte())
            {
                if (--left < 0) throw new Refused(431, "the head of the request has more than " + MostHeadBytes + " bytes");
                if (unit == '\n') return made.ToString().TrimEnd('\r');
                made.Append((char)unit);
            }
            if (made.Length > 0) throw new IOException("a request that was cut off");
            return null;
        }

        public byte[] Body(long most)
        {
            if (Header("expect").ToLowerInvariant() == "100-continue") Write("HTTP/1.1 100 Continue\r\n\r\n");
            var all = new MemoryStream();
            long read = 0;
            if (Header("transfer-encoding").ToLowerInvariant() == "chunked")
            {
                for (long size = Chunk(); size > 0; size = Chunk())
                {
                    Take(all, size, most, ref read);
                    int two = 2;
                    Line(ref two);
                }
                int left = MostHeadBytes;
                while (!string.IsNullOrEmpty(Line(ref left))) { }
            }
            else if (Headers.ContainsKey("transfer-encoding")) throw new Refused(501, "bodies come whole or in chunks");
            else
            {
                long length = 0;
                string stated = Header("content-length");
                if (stated != "" && !long.TryParse(stated, NumberStyles.None, CultureInfo.InvariantCulture, out length)) throw new Refused(400, "a length that is no number");
                Take(all, length, most, ref read);
            }
            if (read > most) throw new Refused(413, "the body has more than " + most + " bytes");
            return all.ToArray();
        }

        long Chunk()
        {
            int left = 256;
            string line = (Line(ref left) ?? "").Split(';')[0].Trim();
            long size;
            if (!long.TryParse(line, NumberStyles.AllowHexSpecifier, CultureInfo.InvariantCulture, out size) || size < 0) throw new Refused(400, "a chunk without its size");
            return size;
        }

        /// <summary>What is too much is read all the same, up to a bound: who still sends does not see an answer.</summary>
        void Take(MemoryStream all, long size, long most, ref long read)
        {
            var piece = new byte[65536];
            while (size > 0)
            {
                if (read > 4 * most)
                {
                    IsKept = false;
                    throw new Refused(413, "the body has more than " + most + " bytes");
                }
                int got = stream.Read(piece, 0, (int)Math.Min(piece.Length, size));
                if (got <= 0) throw new IOException("a body that was cut off");
                size -= got;
                read += got;
                if (read <= most) all.Write(piece, 0, got);
            }
        }

        public void Answer(int status, string type, string text)
        {
            byte[] bytes = Encoding.UTF8.GetBytes(text);
            string head = "HTTP/1.1 " + status + " " + Word(status) + "\r\ncontent-type: " + type + "\r\ncontent-length: " + bytes.Length
                + "\r\nconnection: " + (IsKept ? "keep-alive" : "close") + "\r\n\r\n";
            byte[] first = Encoding.ASCII.GetBytes(head);
            var whole = new byte[first.Length + (Method == "HEAD" ? 0 : bytes.Length)];
            Array.Copy(first, whole, first.Length);
            Array.Copy(bytes, 0, whole, first.Length, whole.Length - first.Length);
            stream.Write(whole, 0, whole.Length);
        }

        void Write(string text)
        {
            byte[] bytes = Encoding.ASCII.GetBytes(text);
            stream.Write(bytes, 0, bytes.Length);
        }

        static string Word(int status)
        {
            return status == 200 ? "OK" : status < 500 ? "Refused" : "Failed";
        }
    }
}
