using System;
using System.Collections.Generic;
using System.IO;
using System.Net;
using System.Net.Sockets;
using System.Text;
using System.Threading;

namespace Emballage.Host
{
    /// <summary>Gives a function CloudEvents that come by HTTP on the port in PORT (HTTP Protocol Binding 1.0.2, structured and binary mode).</summary>
    sealed class Http
    {
        readonly Start start;
        readonly SemaphoreSlim turns;
        int running;
        volatile bool isEnding;

        public Http(Start start)
        {
            this.start = start;
            turns = new SemaphoreSlim((int)start.Number("concurrency"));
        }

        public void Serve()
        {
            string port = Environment.GetEnvironmentVariable("PORT");
            var listener = new TcpListener(IPAddress.Any, string.IsNullOrEmpty(port) ? 8080 : int.Parse(port));
            listener.Start(128);
            AppDomain.CurrentDomain.ProcessExit += (sender, end) => End();
            for (; ; )
            {
                TcpClient client = listener.AcceptTcpClient();
                var thread = new Thread(() => Talk(client));
                thread.IsBackground = true;
                thread.Start();
            }
        }

        /// <summary>What has begun is answered.</summary>
        void End()
        {
            isEnding = true;
            DateTime until = DateTime.UtcNow.AddMilliseconds(start.Number("stopMs"));
            while (Thread.VolatileRead(ref running) > 0 && DateTime.UtcNow < until) Thread.Sleep(10);
            Console.Error.Flush();
            Environment.ExitCode = Thread.VolatileRead(ref running) == 0 ? 0 : 1;
        }

        /// <summary>One request after the other, until one of the two sides ends it.</summary>
        void Talk(TcpClient client)
        {
            try
            {
                client.NoDelay = true;
                using (NetworkStream stream = client.GetStream())
                    for (Exchange one = Next(stream); one != null; one = one.IsKept ? Next(stream) : null) Handle(one);
            }
            catch (IOException error)
            {
                // Who asked has gone.
                Console.Error.WriteLine(error.Message);
            }
            finally
            {
                client.Close();
            }
        }

        static Exchange Next(NetworkStream stream)
        {
            try
            {
                return Exchange.Next(stream);
            }
            catch (Refused refused)
            {
                string text = Refusal("the request is no event", refused.Message);
                byte[] bytes = Encoding.UTF8.GetBytes("HTTP/1.1 " + refused.Status + " Refused\r\nconnection: close\r\ncontent-length: " + Encoding.UTF8.GetByteCount(text) + "\r\n\r\n" + text);
                stream.Write(bytes, 0, bytes.Length);
                return null;
            }
        }

        void Handle(Exchange exchange)
        {
            Interlocked.Increment(ref running);
            try
            {
                if (exchange.Method == "GET" && exchange.Path.Equals(start.Plan["health"])) exchange.Answer(200, "text/plain", "ready\n");
                else if (isEnding) exchange.Answer(503, "application/json", Refusal("ending", "the function is being ended"));
                else Answer(exchange);
            }
            finally
            {
                Interlocked.Decrement(ref running);
            }
        }

        void Answer(Exchange exchange)
        {
            turns.Wait();
            int status = 200;
            string text;
            try
            {
                text = start.Call(Event(exchange));
            }
            catch (Refused refused)
            {
                exchange.IsKept = false;
                status = refused.Status;
                text = Refusal("the request is no event", refused.Message);
            }
            catch (Exception error)
            {
                Console.Error.WriteLine(error);
                status = 500;
                text = Refusal(error.GetType().FullName, error.Message);
            }
            finally
            {
                turns.Release();
            }
            exchange.Answer(status, "application/json", text);
        }

        static string Refusal(string error, string message)
        {
            return Json.Write(new Dictionary<string, object> { { "error", error }, { "message", message } }) + "\n";
        }

        /// <summary>HTTP Protocol Binding, section 3; what is no event is taken as the data of one.</summary>
        Dictionary<string, object> Event(Exchange request)
        {
            if (request.Method != "POST") throw new Refused(405, "events come by POST, not by " + request.Method);
            byte[] body = request.Body(start.Number("mostBytes"));
            string type = request.Header("content-type").Split(';')[0].Trim().ToLowerInvariant();
            if (type.StartsWith("application/cloudevents", StringComparison.Ordinal))
            {
                if (type != "application/cloudevents+json") throw new Refused(415, "events in JSON are read, not " + type);
                return Checked(Parsed(body));
            }
            var made = new Dictionary<string, object>();
            if (request.Header("ce-specversion") == "")
            {
                made["specversion"] = "1.0";
                made["id"] = "request";
                made["source"] = "/http";
                made["type"] = "http.request";
            }
            else
                foreach (string name in request.Headers.Keys)
                    if (name.StartsWith("ce-", StringComparison.OrdinalIgnoreCase))
                        made[name.Substring(3).ToLowerInvariant()] = Uri.UnescapeDataString(request.Headers[name]);
            if (body.Length > 0)
            {
                bool isJson = type == "" || type.EndsWith("/json", StringComparison.Ordinal) || type.EndsWith("+json", StringComparison.Ordinal);
                made["datacontenttype"] = type == "" ? "application/json" : type;
                if (isJson) made["data"] = Parsed(body);
                else if (type.StartsWith("text/", StringComparison.Ordinal)) made["data"] = Encoding.UTF8.GetString(body);
                else made["data_base64"] = Convert.ToBase64String(body);
            }
            return Checked(made);
        }

        static object Parsed(byte[] body)
        {
            try
            {
                return Json.Parse(Encoding.UTF8.GetString(body));
            }
            catch (FormatException bad)
            {
                throw new Refused(400, "the body is no JSON: " + bad.Message);
            }
        }

        /// <summary>CloudEvents 1.0, "Required attributes".</summary>
        static Dictionary<string, object> Checked(object value)
        {
            var made = value as Dictionary<string, object>;
            if (made == null) throw new Refused(400, "the body is no event");
            object version;
            made.TryGetValue("specversion", out version);
            if (!"1.0".Equals(version)) throw new Refused(400, "`specversion` is " + version + ", not 1.0");
            foreach (string name in new[] { "id", "source", "type" })
            {
                object text;
                if (!made.TryGetValue(name, out text) || !(text is string) || (string)text == "") throw new Refused(400, "the event has no `" + name + "`");
            }
            return made;
        }
    }
}
